"""What a larger tool left in the corners of a rounded rectangle, cleared by a smaller one.

Each corner is cut from the middle of the arc that the larger tool left there, where there is surely no
metal: out to one wall, round the corner, back along the other wall, and home; the next time closer to the
walls. All in the pocket's own frame, climb milling.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from bastler.core.geometry.path import Arc, Line, Path
from bastler.core.geometry.shapes import Prism, Removal

DIAGONAL_SHARE = 1 - math.sqrt(0.5)
"""Metal in a right corner with an arc of radius 1 lies within this distance of one wall or the other."""
ROUNDING_SHARE = 0.25
"""Passes before the last turn the corner with this share of the step as radius: no dead stop."""
SAME_PLACE_MM = 0.01
MOST_ON_WALLS_MM = 2.0


def cut_before(pocket: Prism, done: Sequence[Removal]) -> Prism | None:
    """The latest rectangle among ``done`` that is ``pocket`` but for some mm on its walls."""

    def like(one: Removal) -> bool:
        return (
            isinstance(one, Prism)
            and math.dist(one.centre, pocket.centre) < SAME_PLACE_MM
            and abs((one.angle - pocket.angle + 90.0) % 180.0 - 90.0) < SAME_PLACE_MM
            and -SAME_PLACE_MM < pocket.length - one.length < 2 * MOST_ON_WALLS_MM
            and -SAME_PLACE_MM < pocket.width - one.width < 2 * MOST_ON_WALLS_MM
        )

    found = next((r for r in reversed(done) if like(r)), None)
    assert found is None or isinstance(found, Prism)
    return found


def on_walls(pocket: Prism, before: Prism) -> float:
    """What stands on the walls of a pocket after an earlier cut, mm."""
    return max(pocket.length - before.length, pocket.width - before.width, 0.0) / 2


def corner_paths(
    a: float, b: float, corner: float, left_radius: float, radius: float, leave: float, step: float
) -> list[list[Path]]:
    """Per corner, the closed paths of the tool's centre, outermost pass last.

    ``corner``: radius asked for; ``left_radius``: the one that is there; ``radius`` of the tool, which leaves
    ``leave`` on the walls; passes are at most ``step`` apart. Needs ``radius <= corner`` and
    ``radius + leave < left_radius``.
    """
    last = radius + leave
    count = max(math.ceil((DIAGONAL_SHARE * left_radius - leave) / step - 1e-6), 1)
    offsets = [d for k in range(count - 1, 0, -1) if (d := last + k * step) < left_radius] + [last]
    result = []
    for quarter, (x, y) in enumerate(((a, b), (-a, b), (-a, -b), (a, -b))):
        paths = []
        for d in offsets:
            rounding = max(corner - d, ROUNDING_SHARE * step if d > last else 0.0)
            paths.append(_pass(left_radius, d, min(rounding, left_radius - d)).placed((x, y), 90.0 * quarter))
        result.append(paths)
    return result


def _pass(home: float, d: float, rounding: float) -> Path:
    """Once round at the distance ``d`` from both walls; the corner is the origin, the pocket below and left of it."""
    turn = d + rounding
    elements: list[Line | Arc] = [Line((-d, -home)), Line((-d, -turn))]
    if rounding > 0:
        elements.append(Arc((-turn, -d), (-turn, -turn), True))
    return Path((-home, -home), (*elements, Line((-home, -d)), Line((-home, -home))))
