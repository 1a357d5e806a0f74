"""Feeds by load against closed forms: straight strips, corners, air, ways down."""

from __future__ import annotations

import math

import pytest

from bastler.core.moves import Feed, Rapid, Turn
from bastler.core.planning.loadfeed import Level, fed_by_load

BOX = (0.0, 100.0, 0.0, 60.0)
GRAIN = math.radians(6.0)


@pytest.mark.parametrize("radius", [1.5, 5.0, 10.0])
@pytest.mark.parametrize("share", [0.05, 0.2, 0.4, 0.75, 1.0])
def test_a_straight_strip_has_the_angle_of_its_width(radius: float, share: float) -> None:
    """cos φ = 1 - 2 w / D."""
    level = Level(BOX, radius)
    y = 2 * radius * share - radius
    _, angles = level.along((-radius - 1, y), Feed(101.0 + radius, y, None, 1.0))
    middle = angles[len(angles) // 3 : 2 * len(angles) // 3]
    assert middle == pytest.approx(math.acos(1 - 2 * share), abs=GRAIN)


@pytest.mark.parametrize(("inner", "radius", "step"), [(4.0, 5.0, 1.0), (8.0, 5.0, 2.0), (12.0, 8.0, 0.8)])
def test_a_ring_has_the_angle_of_concentric_circles(inner: float, radius: float, step: float) -> None:
    """cos φ = (ρ² - q² - r²) / 2qr with ρ the clear radius and q that of the tool's way."""
    level, centre = Level((-40.0, 40.0, -40.0, 40.0), radius), (0.0, 0.0)
    for way in (0.01, *(inner * k / 8 for k in range(1, 9))):
        level.along((way, 0.0), Turn(way, 0.0, centre, True, 1.0))
    now, rho = inner + step, inner + radius
    _, angles = level.along((now, 0.0), Turn(now, 0.0, centre, True, 1.0))
    wanted = math.acos((rho**2 - now**2 - radius**2) / (2 * now * radius))
    assert angles[len(angles) // 3 : 2 * len(angles) // 3] == pytest.approx(wanted, abs=GRAIN)


def test_air_is_air_and_every_piece_ends_where_the_way_does() -> None:
    moves = [Rapid(-20.0, 4.0), Rapid(z=-2.0), Feed(140.0, 4.0, None, 500.0)]
    found = fed_by_load(moves, -2.0, BOX, 5.0, lambda angle: 3000.0 if angle == 0 else 500.0)
    cuts = [m for m in found if isinstance(m, Feed)]
    assert [m.feed for m in cuts] == [3000.0, 500.0, 3000.0]
    assert cuts[0].x == pytest.approx(-5.0, abs=1.3)
    assert cuts[1].x == pytest.approx(100.0, abs=6.3)
    assert (cuts[-1].x, cuts[-1].y) == (140.0, 4.0)


def test_a_second_time_along_the_same_way_is_no_more_than_a_hair() -> None:
    """Beside the wall that it has just cut nothing is felt, but a hair may stand; a way through air keeps its feed there."""

    def feed_at(angle: float) -> float:
        return 2000.0 if angle == 0 else 1500.0 if angle < 0.25 else 400.0

    moves = [Rapid(10.0, 10.0), Rapid(z=-1.0), Feed(50.0, 10.0, None, 400.0), Feed(10.0, 10.0, None, 400.0)]
    *_, last = fed_by_load(moves, -1.0, BOX, 4.0, feed_at)
    assert isinstance(last, Feed)
    assert (last.x, last.feed) == (10.0, 1500.0)
    moves = [*moves[:3], Feed(10.0, 10.0, None, 2000.0)]
    *_, last = fed_by_load(moves, -1.0, BOX, 4.0, feed_at)
    assert isinstance(last, Feed)
    assert (last.x, last.feed) == (10.0, 2000.0)


def test_the_end_of_a_way_down_keeps_its_feed_and_what_is_off_the_level_too() -> None:
    centre = (30.0, 30.0)
    moves = [
        Rapid(33.0, 30.0), Rapid(z=0.5), Turn(33.0, 30.0, centre, True, 120.0, -1.0), Turn(33.0, 30.0, centre, True, 120.0),
        Turn(27.5, 30.0, (30.25, 30.0), True, 600.0), Feed(30.0, 30.0, -0.7, 2500.0),
    ]  # fmt: skip
    found = fed_by_load(moves, -1.0, BOX, 5.0, lambda angle: 600.0 if angle > 0 else 3000.0)
    assert [m.feed for m in found if isinstance(m, Feed | Turn)][:2] == [120.0, 120.0]
    assert found[-1] == moves[-1]


def test_split_arcs_stay_on_their_circle() -> None:
    start, centre = (20.0, 5.0), (40.0, 5.0)
    moves = [Rapid(*start), Rapid(z=-1.0), Turn(60.0, 5.0, centre, False, 300.0)]
    found = fed_by_load(moves, -1.0, (0.0, 100.0, 20.0, 60.0), 5.0, lambda angle: 900.0 - 200.0 * angle)
    arcs = [m for m in found if isinstance(m, Turn)]
    assert len(arcs) > 2
    assert all(math.dist((m.x, m.y), centre) == pytest.approx(20.0) for m in arcs)
    assert (arcs[-1].x, arcs[-1].y) == (60.0, 5.0)


def test_no_move_is_lost_while_z_is_not_known() -> None:
    moves = [Rapid(10.0, 10.0), Feed(None, None, -1.0, 100.0), Feed(40.0, 10.0, None, 400.0)]
    found = fed_by_load(moves, -1.0, BOX, 4.0, lambda _: 400.0)
    assert found[:2] == moves[:2]
    assert (found[-1].x, found[-1].y) == (40.0, 10.0)  # type: ignore[union-attr]


def test_a_raster_too_coarse_for_the_tool_changes_no_feed() -> None:
    moves = [Rapid(-20.0, 4.0), Rapid(z=-2.0), Feed(140.0, 4.0, None, 500.0)]
    assert fed_by_load(moves, -2.0, (0.0, 9000.0, 0.0, 9000.0), 1.0, lambda _: 3000.0) == moves
    assert fed_by_load(moves, -2.0, BOX, 0.25, lambda _: 300.0) != moves
