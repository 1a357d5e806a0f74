"""Ends of a pass: straight on past an edge of the metal, instead of round it and along its other side.

*Roll*: where the nose goes round a corner that stands out, an arc of its own radius about that corner. *Slide*: where a flank
does, a straight way behind a short roll.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.geometry.fitting import circle
from bastler.core.geometry.halfsection import Area, rounded
from bastler.core.planning.lathe.space import Touching
from bastler.core.tooling.cutters import Cutter

Chain = NDArray[np.float64]

OVER_MM = 0.2
"""So far the nose is past the edge at the end."""
ON_ARC_MM = 2e-4
LEAST_ARC = 3
"""A roll has at least as many chords."""
STRAIGHT_RAD = 1e-3
LEAST_TURN_RAD = 0.2
STEEPEST_RAD = 1.0
"""Chords of one arc turn by less."""
INSIDE_MM = 1e-4
FINE_MM = 0.01
SPOT_MM = 1e-5
TOUCHES_MM = 0.004
MISSED_MM2 = 1e-4


def straight_off(chain: Chain, cutter: Cutter, free: Area, takes: Area, stays: Area) -> Chain:
    """A chain of reference points (n, 2) whose ends go straight off the edges that they roll round or slide along, where there is room for it.

    ``takes``: the metal that is to be cut along it, as the tool sees it; an end that cuts some of it stays. ``stays``: what is there afterwards.
    """
    off = off_its_end(chain, cutter, free, takes, stays)
    return off_its_end(off[::-1], cutter, free, takes, stays)[::-1]


def off_its_end(chain: Chain, cutter: Cutter, free: Area, takes: Area, stays: Area | None = None) -> Chain:
    """The same for its end alone; without ``stays`` slides are left."""
    if (found := _roll(chain, cutter.nose)) is not None:
        first, centre = found
        if free.contains(shapely.Point(centre)):
            return chain
        out = chain[first] - centre
        ahead = np.array([-out[1], out[0]]) / cutter.nose
        if ahead @ (chain[first + 1] - chain[first]) < 0:
            ahead = -ahead
    elif stays is not None and (slid := _slide(chain, cutter, stays)) is not None:
        first = slid
        ahead = chain[first] - chain[first - 1]
        ahead = ahead / np.hypot(*ahead)
    else:
        return chain
    straight = np.array([chain[first], chain[first] + ahead * (cutter.nose + OVER_MM)])
    if shapely.difference(shapely.LineString(straight), free).length > INSIDE_MM:
        return chain
    rolled, passed = (_by_nose(cutter, way) for way in (chain[first:], straight))
    missed = shapely.intersection(shapely.difference(rolled, passed), takes)
    if missed.area > MISSED_MM2 and shapely.difference(missed, _by_nose(cutter, chain[: first + 1])).area > MISSED_MM2:
        return chain
    return np.concatenate([chain[: first + 1], straight[1:]])


def _by_nose(cutter: Cutter, way: Chain) -> Area:
    """What the nose alone passes over: metal further up the flanks went before."""
    centre = np.asarray(min(cutter.skeleton, key=lambda p: max(abs(p[0]), abs(p[1]))))
    return rounded(shapely.LineString(way + centre), cutter.nose)


def _slide(chain: Chain, cutter: Cutter, stays: Area) -> int | None:
    """Where the tool begins to touch nothing but the one corner that it touches at the end."""
    if stays.is_empty or len(chain) < LEAST_ARC:
        return None
    last = chain[-2]
    tool = shapely.Polygon(np.asarray(cutter.outline(FINE_MM)) + last)
    corner = np.asarray(shapely.shortest_line(tool, stays).coords)[1]
    spot = shapely.LineString([corner, corner + SPOT_MM])
    on = np.flatnonzero(~Touching(cutter, spot, TOUCHES_MM).at(chain[:-1]))
    first = int(on[-1]) + 1 if len(on) else 0
    way = np.diff(chain[first:], axis=0)
    if first == 0 or first >= len(chain) - 1 or float(np.hypot(*way.T).sum()) < cutter.nose + OVER_MM:
        return None
    return first


def _roll(chain: Chain, nose: float) -> tuple[int, Chain] | None:
    """Where the last arc of the nose's radius begins, if nothing but a straight line follows on it, and its centre."""
    if len(chain) < LEAST_ARC + 2:
        return None
    way = np.diff(chain, axis=0)
    turns = np.diff(np.unwrap(np.arctan2(way[:, 1], way[:, 0])))
    bent = np.flatnonzero(np.abs(turns) > STRAIGHT_RAD)
    if not len(bent):
        return None
    last = int(bent[-1]) + 1
    if last < LEAST_ARC or not STRAIGHT_RAD < abs(float(turns[last - 2])) < STEEPEST_RAD:
        return None
    centre = np.asarray(circle(*(tuple(p) for p in chain[last - 2 : last + 1].tolist())))
    on = np.abs(np.hypot(*(chain[: last + 1] - centre).T) - nose) < ON_ARC_MM
    first = int(np.flatnonzero(~on)[-1]) + 1 if not on.all() else 0
    turned = abs(float(turns[first:last].sum()))
    if first == 0 or last - first < LEAST_ARC or turned < LEAST_TURN_RAD:
        return None
    return first, centre
