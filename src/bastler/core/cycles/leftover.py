"""What steps before have left in corners and narrow places of an area, and how a smaller tool gets it out."""

from __future__ import annotations

from collections.abc import Iterable

from bastler.core.cycles import loading
from bastler.core.cycles.areabands import SAME_LEVEL_MM, Band, rough_loops, rough_offset
from bastler.core.fields import Values
from bastler.core.geometry.offsets import inset
from bastler.core.geometry.path import Path
from bastler.core.geometry.region import Region
from bastler.core.moves import Move
from bastler.core.planning.area import LIFT_MM, OVERLAP_MM, Height, LevelCut, rest, walls_of
from bastler.core.planning.evenfree import CutBefore, clear_from_free, trees
from bastler.core.planning.evenload import Disc, Even
from bastler.core.planning.nest import Loops, Nested, nested, outside_of, shrunk
from bastler.core.planning.work import Work

STANDING_MM = 1e-3
"""Steps before count as having cleared a place if no more than this stands sideways."""


def before(w: Work, band: Band) -> list[Region]:
    """Regions that steps before cut in a band down to its floor."""
    box = Region(band.edge, 0.0).bounds()

    def meets(r: Region) -> bool:
        b = r.bounds()
        return b[0] <= box[1] and box[0] <= b[1] and b[2] <= box[3] and box[2] <= b[3]

    return [r for r in w.done if isinstance(r, Region) and r.floor <= band.floor + SAME_LEVEL_MM and meets(r)]


def _evenly(v: Values, w: Work, band: Band, heights: list[float], safe: float) -> list[Move]:
    """What is left in corners with an even load, each down through all levels."""
    even, result = loading.even_of(v, w), list[Move]()
    for tree in _rest_trees(v, w, band, even) or ():
        for _, one in clear_from_free(tree, _cut_before(v, w, band), even, heights, safe):
            result += one
    return result


def _inside_out(roots: Iterable[Nested]) -> list[Path]:
    """All loops, those inside first."""
    return [p for one in roots for p in (*_inside_out(one.inner), *one.loops)]


def free(v: Values, w: Work, band: Band) -> list[Loops]:
    """Where the tool's centre touches nothing any more."""
    return [tuple(inset(list(r.loops), v.tool.radius - STANDING_MM)) for r in before(w, band)]


def _rest_trees(v: Values, w: Work, band: Band, even: Even) -> list[tuple[Disc, ...]] | None:
    """Discs of a band from where steps before have cleared; ``None`` if those nowhere have room for them."""
    return trees(rough_loops(v, band), even, _cut_before(v, w, band))


def _cut_before(v: Values, w: Work, band: Band) -> CutBefore:
    return CutBefore(tuple(walls_of(loops) for loops in free(v, w, band) if loops))


def has_room(v: Values, w: Work, band: Band) -> bool:
    """Whether an even load finds room that steps before have cleared, right into the edge of their floor."""
    if any(r.fillet > v.tool.corner_radius + STANDING_MM for r in before(w, band)):
        return False
    return _rest_trees(v, w, band, loading.even_of(v, w)) is not None


def moves(v: Values, w: Work, band: Band, cut: LevelCut, roots: Iterable[Nested], passes: list[Height]) -> list[Move]:
    """What is left in a band, by loops or with an even load, down through all passes."""
    edge, ways, result = rough_loops(v, band), _inside_out(roots), list[Move]()
    if loading.is_even(v):
        result += _evenly(v, w, band, [z.level for z in passes], passes[0].safe)
        # What crescents leave between them is for the walls' own pass, or for one along them.
        ways = [] if v.finish_walls else list(edge)
    return result + rest(ways, free(v, w, band), cut, passes, walls_of(band.edge), edge, over=over(v, w, band))


def over(v: Values, w: Work, band: Band) -> float:
    """So far over a level nothing stands where steps before have cleared: they may have left a rounding along the walls."""
    return max(LIFT_MM, *(r.fillet + LIFT_MM / 2 for r in before(w, band)))


def parts(v: Values, w: Work, band: Band) -> list[Path]:
    """All ways along which loops cut what is left, walls too."""
    loops = _inside_out(nested(band.edge, rough_offset(v), v.side_step))
    loops += list(shrunk(band.edge, v.tool.radius)) if v.finish_walls else []
    return [part for loop in loops for part in outside_of(loop, free(v, w, band), OVERLAP_MM)]
