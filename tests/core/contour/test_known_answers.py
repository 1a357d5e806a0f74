"""Contours whose answers are known: the table of the promise, and closed forms worked out here by other means."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import pytest

from bastler.__main__ import main
from bastler.core.geometry.contour.facts import read_contour
from bastler.core.geometry.contour.report import report

Point = tuple[float, float]
EXACT_MM = 1e-9


def line(*, smooth: bool = False, **facts: Any) -> dict[str, Any]:
    return {"type": "line", **({"tangent": True} if smooth else {}), **facts}


def arc(way: str, *, smooth: bool = False, **facts: Any) -> dict[str, Any]:
    return {"type": "arc", "dir": way, **({"tangent": True} if smooth else {}), **facts}


def contour(x: float, y: float, *elements: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"plane": "XY", "start": {"x": x, "y": y}, "elements": list(elements), **more}


def solved(data: dict[str, Any]) -> dict[str, Any]:
    return report(read_contour(data))


def joints(solution: dict[str, Any]) -> list[Point]:
    return [(e["x1"], e["y1"]) for e in solution["elements"]]


def on(centre: Point, radius: float, degrees: float) -> Point:
    return (centre[0] + radius * math.cos(math.radians(degrees)), centre[1] + radius * math.sin(math.radians(degrees)))


# The promise


def test_tangent_from_a_point() -> None:
    found = solved(contour(0, 0, line(), arc("cw", smooth=True, cx=40, cy=15, radius=10, x=50, y=15)))
    assert found["status"] == "solved"
    assert len(found["solutions"]) == 1
    assert joints(found["solutions"][0])[0] == pytest.approx((34.394538, 23.281232), abs=1e-6)
    assert math.hypot(*joints(found["solutions"][0])[0]) == pytest.approx(41.533119, abs=1e-6)


def test_belt() -> None:
    found = solved(contour(
        -25, 0, arc("cw", cx=0, cy=0), line(smooth=True), arc("cw", smooth=True, cx=60, cy=0, radius=15), line(smooth=True),
        arc("cw", smooth=True, cx=0, cy=0, x=-25, y=0),
    ))  # fmt: skip
    first = found["solutions"][0]
    assert joints(first)[:4] == [
        pytest.approx(p, abs=1e-6)
        for p in ((4.166667, 24.650332), (62.5, 14.790199), (62.5, -14.790199), (4.166667, -24.650332))
    ]
    assert first["length"] == pytest.approx(247.334263, abs=1e-6)


def test_s_between_parallels() -> None:
    found = solved(contour(0, 20, line(x=10, y=20), arc("cw", smooth=True, radius=12), arc("ccw", smooth=True, radius=20),
                           line(smooth=True, angle=0, x=60, y=10)))  # fmt: skip
    assert joints(found["solutions"][0])[1:3] == [
        pytest.approx((18.714213, 16.25), abs=1e-6), pytest.approx((33.237900, 10), abs=1e-6),
    ]  # fmt: skip


def test_fillet_on_a_circle() -> None:
    found = solved(contour(-20, 0, line(angle=0), arc("ccw", smooth=True, radius=8),
                           arc("cw", smooth=True, cx=40, cy=25, radius=12, x=40, y=37)))  # fmt: skip
    wanted = [pytest.approx((29.464346, 0), abs=1e-6), pytest.approx((33.678608, 14.8), abs=1e-6)]
    assert any(joints(s)[:2] == wanted for s in found["solutions"])


def test_cam_flank() -> None:
    found = solved(contour(-20, 0, arc("cw", cx=0, cy=0, radius=20), arc("cw", smooth=True, radius=60),
                           arc("cw", smooth=True, cx=35, cy=0, radius=8, x=43, y=0)))  # fmt: skip
    assert joints(found["solutions"][0])[:2] == [
        pytest.approx((-0.864286, 19.981317), abs=1e-6), pytest.approx((40.118681, 6.148097), abs=1e-6),
    ]  # fmt: skip


def test_two_arcs() -> None:
    found = solved(contour(0, 0, arc("cw", radius=20, x=24, y=0)))
    assert [s["length"] for s in found["solutions"]] == [
        pytest.approx(25.740044, abs=1e-6),
        pytest.approx(99.923662, abs=1e-6),
    ]


def test_taper_in_diameters() -> None:
    found = solved({
        "plane": "ZX", "start": {"z": 0, "x": 20},
        "elements": [line(angle=150, x=36), {**line(x=36, z=-40), "corner": {"radius": 5}}, line(x=60, z=-40)],
    })  # fmt: skip
    elements = found["solutions"][0]["elements"]
    assert elements[0]["z1"] == pytest.approx(-13.856406, abs=1e-6)
    corner = next(e for e in elements if "corner_of" in e)
    assert (corner["z0"], corner["x0"], corner["z1"], corner["x1"]) == pytest.approx((-35, 36, -40, 46))


def test_open() -> None:
    found = solved(contour(0, 0, line(angle=20), arc("cw", smooth=True, radius=6), line(smooth=True, x=40, y=5)))
    assert (found["status"], found["missing"]) == ("open", 1)
    assert "One more fact" in found["problems"][0]["text"]


def test_conflict() -> None:
    found = solved(contour(0, 0, arc("cw", radius=5, x=30, y=0)))
    assert found["status"] == "conflict"
    assert "a radius of at least 15 is needed" in found["problems"][0]["text"]


def test_a_length_that_does_not_fit_names_both() -> None:
    found = solved(contour(0, 0, line(x=20, y=0, length=25)))
    assert found["status"] == "conflict"
    assert "length 25 contradicts the two end points, which are 20 apart" in found["problems"][0]["text"]


def test_rounded_facts_agree_and_say_how_far_off() -> None:
    found = solved(contour(0, 0, line(x=10, y=10, length=14.142)))
    assert found["status"] == "solved"
    assert "off by" in found["problems"][0]["text"]


def test_the_command_gives_the_same(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    data = contour(0, 0, arc("cw", radius=20, x=24, y=0))
    file = tmp_path / "two.json"
    file.write_text(json.dumps(data))
    monkeypatch.setattr("sys.argv", ["bastler", "contour", str(file), "--json"])
    assert main() == 0
    assert json.loads(capsys.readouterr().out) == solved(data)


# Closed forms: each case gives a contour, which joint is meant, and where it must be among the answers


def _lines() -> list[tuple[str, dict[str, Any], int, Point]]:
    a = math.radians(35)
    return [
        ("line by ways", contour(3, 4, line(dx=7, dy=-2)), 0, (10, 2)),
        ("line by length and angle", contour(3, 4, line(length=12, angle=35)), 0, (3 + 12 * math.cos(a), 4 + 12 * math.sin(a))),
        ("line by X and angle", contour(3, 4, line(x=20, angle=35)), 0, (20, 4 + 17 * math.tan(a))),
        ("line by Y and angle", contour(3, 4, line(y=20, angle=35)), 0, (3 + 16 / math.tan(a), 20)),
        ("line by X and length, up", contour(3, 4, line(x=8, length=13)), 0, (8, 16)),
        ("line by X and length, down", contour(3, 4, line(x=8, length=13)), 0, (8, -8)),
        ("line by Y and length", contour(3, 4, line(y=9, length=13)), 0, (-9, 9)),
        ("line by way and length", contour(0, 0, line(dx=6, length=10)), 0, (6, -8)),
        ("two lines by angles meet", contour(0, 0, line(angle=30), line(angle=-60, x=10, y=0)), 0, (7.5, 7.5 * math.tan(math.radians(30)))),
        ("two lines by lengths", contour(0, 0, line(length=5), line(length=4, x=3, y=0)), 0, (3, 4)),
        ("triangle by its sides", contour(0, 0, line(length=6, angle=0), line(length=5), line(length=5), closed=True), 1, (3, 4)),
    ]  # fmt: skip


def _arcs() -> list[tuple[str, dict[str, Any], int, Point]]:
    cases = [
        (
            f"arc by centre and sweep {s}",
            contour(10, 0, arc(way, cx=0, cy=0, sweep=s)),
            0,
            on((0, 0), 10, s if way == "ccw" else -s),
        )
        for s, way in ((30, "ccw"), (120, "cw"), (270, "ccw"))
    ]
    cases += [
        (
            f"arc of radius {r} through two points",
            contour(0, 0, arc("ccw", radius=r, x=16, y=0), line(dx=1, dy=0)),
            0,
            (16, 0),
        )
        for r in (8, 10, 17)
    ]
    cases += [
        ("quarter by radius and smooth start", contour(0, 0, line(x=20, y=0), arc("ccw", smooth=True, radius=7, sweep=90)), 1, (27, 7)),
        ("half turn by smooth start and end", contour(0, 0, line(x=20, y=0), arc("ccw", smooth=True, x=20, y=14)), 1, (20, 14)),
        ("full circle", contour(10, 0, arc("ccw", cx=0, cy=0, sweep=360)), 0, (10, 0)),
        ("centre on X by radius", contour(0, 0, arc("cw", radius=5, cy=3, x=8, y=0)), 0, (8, 0)),
    ]  # fmt: skip
    return cases


def _tangents() -> list[tuple[str, dict[str, Any], int, Point]]:
    """A line from a point onto a circle: the foot lies where radius and line are square to each other."""
    cases = []
    for way, x, y, r in (("cw", 30, 0, 6), ("ccw", 30, 0, 6), ("cw", 20, 25, 9), ("ccw", -15, 20, 4)):
        d = math.hypot(x, y)
        inner = math.degrees(math.atan2(y, x)) + (90 if way == "cw" else -90)
        turn = math.degrees(math.asin(r / d)) * (1 if way == "cw" else -1)
        foot = on((x, y), r, inner + turn)
        cases.append(
            (
                f"onto a circle {way} {x} {y}",
                contour(0, 0, line(), arc(way, smooth=True, cx=x, cy=y, radius=r, sweep=40)),
                0,
                foot,
            )
        )
    return cases


def _belts() -> list[tuple[str, dict[str, Any], int, Point]]:
    """A line on two circles: its normal leans by the difference of radii (same way) or their sum (other way)."""
    cases = []
    for first, second, r, q, d in (
        ("cw", "cw", 12, 5, 40),
        ("ccw", "ccw", 6, 14, 50),
        ("cw", "ccw", 8, 9, 45),
        ("ccw", "cw", 5, 5, 30),
    ):
        s, t = (1 if w == "ccw" else -1 for w in (first, second))
        # The line has its circles' centres at signed distances s r and t q to its left.
        lean = math.degrees(math.asin((t * q - s * r) / d))
        centre_to_foot = (-90 if s > 0 else 90) - lean
        foot = on((0, 0), r, centre_to_foot)
        start = on((0, 0), r, centre_to_foot - s * 100)
        cases.append((
            f"belt {first} {second}",
            contour(*start, arc(first, cx=0, cy=0), line(smooth=True), arc(second, smooth=True, cx=d, cy=0, radius=q, sweep=50)), 0, foot,
        ))  # fmt: skip
    return cases


def _fillets() -> list[tuple[str, dict[str, Any], int, Point]]:
    """An arc between two lines begins its radius times the tangent of half the turn before their corner."""
    cases = []
    for angle, r in ((60, 5), (90, 8), (130, 3)):
        back = r * math.tan(math.radians(angle / 2))
        end = on((40, 0), 50, angle)
        cases.append(
            (
                f"fillet {r} at {angle}",
                contour(
                    0,
                    0,
                    line(angle=0),
                    arc("ccw", smooth=True, radius=r),
                    line(smooth=True, angle=angle, x=end[0], y=end[1]),
                ),
                0,
                (40 - back, 0),
            )
        )
    # to a circle: the centre lies r above the line and r from the circle's edge
    for (cx, cy), big, r in (((40, 25), 12, 8), ((50, 20), 10, 6), ((60, 30), 20, 5)):
        x = cx - math.sqrt((big + r) ** 2 - (cy - r) ** 2)
        cases.append(
            (
                f"line and circle {cx} {big} {r}",
                contour(
                    -20,
                    0,
                    line(angle=0),
                    arc("ccw", smooth=True, radius=r),
                    arc("cw", smooth=True, cx=cx, cy=cy, radius=big, sweep=60),
                ),
                0,
                (x, 0),
            )
        )
    # between two circles, rolling outside both
    for r1, r2, d, r in ((10, 6, 30, 12), (8, 8, 26, 40)):
        a, b = r1 + r, r2 + r
        x = (d * d + a * a - b * b) / (2 * d)
        y = math.sqrt(a * a - x * x)
        joint = (x * r1 / a, y * r1 / a)
        cases.append(
            (
                f"between circles {r1} {r2} {r}",
                contour(
                    -r1,
                    0,
                    arc("cw", cx=0, cy=0),
                    arc("ccw", smooth=True, radius=r),
                    arc("cw", smooth=True, cx=d, cy=0, radius=r2, sweep=30),
                ),
                0,
                joint,
            )
        )
    # over both: a circle that both touch from inside
    for r1, r2, d, r in ((20, 8, 35, 60), (10, 5, 20, 40)):
        a, b = r - r1, r - r2
        x = (d * d + a * a - b * b) / (2 * d)
        y = -math.sqrt(a * a - x * x)
        joint = (-x * r1 / a, -y * r1 / a)
        cases.append(
            (
                f"over circles {r1} {r2} {r}",
                contour(
                    -r1,
                    0,
                    arc("cw", cx=0, cy=0),
                    arc("cw", smooth=True, radius=r),
                    arc("cw", smooth=True, cx=d, cy=0, radius=r2, x=d + r2, y=0),
                ),
                0,
                joint,
            )
        )
    return cases  # fmt: skip


def _crossings() -> list[tuple[str, dict[str, Any], int, Point]]:
    half = math.sqrt(100 - 36)
    return [
        ("line meets a circle, near", contour(-20, 6, line(angle=0), arc("cw", cx=0, cy=0, radius=10, sweep=20)), 0, (-half, 6)),
        ("line meets a circle, far", contour(-20, 6, line(angle=0), arc("cw", cx=0, cy=0, radius=10, sweep=20)), 0, (half, 6)),
        ("circles meet above", contour(-10, 0, arc("cw", cx=0, cy=0), arc("cw", cx=12, cy=0, radius=10, sweep=30)), 0, (6, 8)),
        ("circles meet below", contour(-10, 0, arc("ccw", cx=0, cy=0), arc("cw", cx=12, cy=0, radius=10, sweep=30)), 0, (6, -8)),
        ("arc ends on a line", contour(10, 0, arc("ccw", cx=0, cy=0), line(angle=180, x=-30, y=6)), 0, (8, 6)),
        ("smooth arc through a point", contour(0, 0, line(x=10, y=0), arc("ccw", smooth=True, x=22, y=4), line(dx=1, dy=0)), 1, (22, 4)),
        ("centre of a smooth arc", contour(0, 0, line(x=10, y=0), arc("ccw", smooth=True, cy=9, sweep=90)), 1, (19, 9)),
    ]  # fmt: skip


CASES = [*_lines(), *_arcs(), *_tangents(), *_belts(), *_fillets(), *_crossings()]


def test_there_are_enough() -> None:
    assert len(CASES) >= 40
    assert len({c[0] for c in CASES}) == len(CASES)


@pytest.mark.parametrize(("data", "which", "there"), [c[1:] for c in CASES], ids=[c[0] for c in CASES])
def test_closed_form(data: dict[str, Any], which: int, there: Point) -> None:
    found = solved(data)
    assert found["status"] == "solved", found["problems"]
    assert min(math.dist(joints(s)[which], there) for s in found["solutions"]) < EXACT_MM


def test_a_smooth_arc_to_a_point_has_its_centre_square_to_the_line() -> None:
    found = solved(contour(0, 0, line(x=10, y=0), arc("ccw", smooth=True, x=22, y=4)))
    (a, b) = (12.0, 4.0)
    assert found["solutions"][0]["elements"][1]["radius"] == pytest.approx((a * a + b * b) / (2 * b), abs=EXACT_MM)


@pytest.mark.parametrize("radius", [20, 100, 1e3, 1e4])
def test_near_tangent_answers_stay_exact(radius: float) -> None:
    """A line that just meets a large circle: the crossing is known by its half chord however flat it is."""
    height = radius - 1e-4
    half = math.sqrt(radius**2 - height**2)
    found = solved(contour(-2 * radius, height, line(angle=0), arc("cw", cx=0, cy=0, radius=radius, sweep=10)))
    assert found["status"] == "solved"
    near = min(abs(joints(s)[0][0] + half) for s in found["solutions"])
    assert near < 1e-9 * radius / half * radius


@pytest.mark.parametrize("angle", [1.0, 0.1, 0.01])
def test_near_parallel_lines_meet_where_they_do(angle: float) -> None:
    t = math.tan(math.radians(angle))
    found = solved(contour(0, 0, line(angle=0), line(angle=180 - angle, x=0, y=1)))
    assert joints(found["solutions"][0])[0][0] == pytest.approx(1 / t, rel=1e-9)


def test_corners_go_in_after_solving_and_say_how_large_they_may_be() -> None:
    data = contour(
        0,
        0,
        {**line(x=20, y=0), "corner": {"radius": 4}},
        {**line(x=20, y=30), "corner": {"chamfer": 3}},
        line(x=0, y=30),
    )
    elements = solved(data)["solutions"][0]["elements"]
    assert [e["type"] for e in elements] == ["line", "arc", "line", "line", "line"]
    assert (elements[1]["x0"], elements[1]["y1"]) == pytest.approx((16, 4))
    assert (elements[3]["x0"], elements[3]["y0"], elements[3]["x1"], elements[3]["y1"]) == pytest.approx(
        (20, 27, 17, 30)
    )
    data["elements"][0]["corner"] = {"radius": 40}
    found = solved(data)
    assert found["status"] == "conflict"
    assert "at most" in found["problems"][0]["text"]


def test_the_other_half_is_the_mirror_image() -> None:
    data = contour(0, 0, line(x=20, y=0), line(y=15, dx=0), mirror={"x": 0, "y": 15, "angle": 0})
    found = solved(data)
    assert found["status"] == "solved", found["problems"]
    assert joints(found["solutions"][0])[-1] == pytest.approx((0, 30))
