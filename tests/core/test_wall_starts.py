"""Where a wall's own pass comes down: at rapid only where there is room all round, never on the rim of what roughing left."""

from __future__ import annotations

import pytest

from bastler.core.geometry.path import Line, Path
from bastler.core.geometry.region import Region
from bastler.core.moves import Feed, Rapid
from bastler.core.planning.area import LIFT_MM, Height, lead_for, wall_round

RADIUS = 5.0
LOOP = Path((-20.0, -10.0), (Line((20.0, -10.0)), Line((20.0, 10.0)), Line((-20.0, 10.0)), Line((-20.0, -10.0))))
WALLS = Region(
    (Path((-25.0, -15.0), (Line((25.0, -15.0)), Line((25.0, 15.0)), Line((-25.0, 15.0)), Line((-25.0, -15.0)))),), -9.0
)
Z = Height(-9.0, 0.0, 2.0)


@pytest.mark.parametrize(("radius", "rapid_to"), [(2.0, -9.0), (0.0, 0.0)])
def test_without_an_arc_the_way_down_is_fed(radius: float, rapid_to: float) -> None:
    """With an even load cusps stand between neighbouring crescents, a little more than the allowance: the rim of the tool meets them."""
    moves = wall_round(LOOP, lead_for(LOOP, WALLS, RADIUS, radius, 0.2), Z, 400.0)
    assert moves[1] == Rapid(z=rapid_to + LIFT_MM)
    assert moves[2] == Feed(None, None, -9.0, 400.0)
