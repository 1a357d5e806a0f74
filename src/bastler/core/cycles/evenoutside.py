"""Outside with an even load: from the air at a corner of the block round the shape, as deep as the flutes are long.

It wins where bays of the shape would wrap the tool. Field names are those of the outside.
"""

from __future__ import annotations

from bastler.core.cycles import loading
from bastler.core.cycles.channeling import frame_of, loop_round
from bastler.core.fields import Values
from bastler.core.moves import Move
from bastler.core.planning.evenfree import Beside, clear_from_free, trees
from bastler.core.planning.nest import Loops
from bastler.core.planning.work import Work
from bastler.core.problems import Problem

FITS_MM = 1e-6


def _room(v: Values, w: Work) -> tuple[Loops, Beside]:
    """Where the tool's centre may be, and the air it comes from."""
    beside = Beside(loading.grown(w.block), float(v.tool.radius))
    return beside.room(frame_of(v).path(loop_round(v, v.tool.radius + v.leave_walls))), beside


def problems(v: Values, w: Work) -> list[Problem]:
    """Whether the tool gets at the metal from air everywhere, and keeps to its side step."""
    if v.side_step > v.tool.flat_radius + FITS_MM:
        return [Problem("side_step", "With an even load a side step is at most half the tool's flat bottom.")]
    room, beside = _room(v, w)
    if trees(room, loading.even_of(v, w), beside) is None:
        text = "A part of the metal lies at no corner of the block where the tool could begin. Clear by loops."
        return [Problem("clear_by", text)]
    return []


def moves(v: Values, w: Work, heights: list[float], safe: float) -> list[Move]:
    """All places, each down through all levels, fed by their load."""
    even, (room, beside) = loading.even_of(v, w), _room(v, w)
    result: list[Move] = []
    for tree in trees(room, even, beside) or ():
        for level, one in clear_from_free(tree, beside, even, heights, safe):
            result += loading.fed(one, level, beside.box, v, w)
    return result
