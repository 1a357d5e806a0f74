"""Nose radius compensation: by the planner or by the control the same surface; G41 and G42 of any program."""

import math

import pytest
import shapely

from bastler.core.checked import Checked
from bastler.core.engine import Engine
from bastler.core.job.document import ContourRecord, Job, Step
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.turned import element, lathe_job

SHAFT = ContourRecord(
    id="shaft",
    name="shaft",
    values={"plane": "ZX", "start_z": "0", "start_x": "26", "closed": "no"},
    elements=(
        element("line", z=-2, x=30),
        element("line", z=-18, x=30),
        element("arc", way="cw", z=-20, x=34, cz=-18, cx=34),
        element("line", z=-30, x=40),
        element("line", z=-40, x=40),
    ),
)
BORE = ContourRecord(
    id="bore",
    name="bore",
    values={"plane": "ZX", "start_z": "0", "start_x": "30", "closed": "no"},
    elements=(element("line", z=-1, x=28), element("line", z=-12, x=28), element("line", z=-20, x=24)),
)


def job(tool: str, where: str = "outside", by: str = "control", **values: str) -> Job:
    contour = "bore" if where == "inside" else "shaft"
    asked = {"where": where, "shape": "contour", "contour": contour, "tool": tool, "compensation": by, **values}
    return lathe_job(Step(id="turn", cycle="turn", values=asked), contours=(SHAFT, BORE), tube=where == "inside")


def checked(one: Job, dialect: str = "iso-lathe-a", text: str = "") -> Checked:
    return Engine().check(Request(one, text=text.encode() or None, name="nose", dialect=dialect))


def stops(found: Checked) -> list[str]:
    return [f.text for f in found.findings if f.severity == "stop"]


@pytest.mark.parametrize(("tool", "where"), [("1", "outside"), ("2", "outside"), ("4", "outside"), ("5", "inside")])
@pytest.mark.parametrize("dialect", ["iso-lathe-a", "iso-lathe-b"])
def test_both_ways_leave_the_same_surface(tool: str, where: str, dialect: str) -> None:
    by_control, by_planner = (checked(job(tool, where, by), dialect) for by in ("control", "planner"))
    assert stops(by_control) == stops(by_planner) == []
    assert shapely.symmetric_difference(by_control.section.stock, by_planner.section.stock).area < 0.02


@pytest.mark.parametrize(("where", "code"), [("outside", "G42"), ("inside", "G41")])
def test_the_program_has_the_drawing_s_own_numbers(where: str, code: str) -> None:
    text = checked(job("5" if where == "inside" else "1", where)).program.text
    finish = text[text.index(code) : text.index("G40", text.index(code))]
    sizes = ("X28. Z-1.", "Z-12.", "X24. Z-20.") if where == "inside" else ("X30. Z-2.", "Z-18.", "X40. Z-30.")
    for size in sizes:
        assert size in finish


def test_a_left_hand_tool_has_the_contour_on_its_other_side() -> None:
    recess = ContourRecord(
        id="shaft",
        name="shaft",
        values={"plane": "ZX", "start_z": "-20", "start_x": "44", "closed": "no"},
        elements=(element("line", z=-35, x=44), element("line", z=-39, x=50)),
    )
    one = lathe_job(
        Step(id="t", cycle="turn", values={"shape": "contour", "contour": "shaft", "tool": "18", "compensation": "control"}),
        contours=(recess,),
    )  # fmt: skip
    found = checked(one)
    assert stops(found) == []
    assert "G41" in found.program.text


def test_a_wall_that_leans_away_from_the_insert_is_left_to_bastler() -> None:
    undercut = ContourRecord(
        id="shaft",
        name="shaft",
        values={"plane": "ZX", "start_z": "0", "start_x": "40", "closed": "no"},
        elements=(element("line", z=-10, x=40), element("line", z=-11, x=34), element("line", z=-30, x=34)),
    )
    step = Step(
        id="t", cycle="turn", values={"shape": "contour", "contour": "shaft", "tool": "1", "compensation": "control"}
    )
    (problem,) = [p for p in plan(lathe_job(step, contours=(undercut,))).steps[0].answers.problems if p.blocks]
    assert problem.field == "compensation"
    assert "Let Bastler make the path" in problem.text


HEAD = "G21 G18 G99\nT0101\nG50 S3000\nG97 S800 M3\nG0 X60. Z5.\nX34. Z4.\n"
TAIL = "G0 X60. Z5.\nG0 X220. Z150.\nM5\nM30\n"


def ways(text: str) -> list[tuple[float, float]]:
    """Where the reference point of T1 is after each move, diameter and Z."""
    motion = checked(lathe_job(), text=HEAD + text + TAIL).motion
    return [(round(2 * x, 3), round(z, 3)) for x, _, z in motion.end.tolist()]


def test_a_chamfer_is_met_where_the_nose_touches_it() -> None:
    r, half = 0.8, math.tan(math.pi / 8)
    places = ways("G42 G1 X30. Z2. F0.2\nZ-10.\nX40. Z-15.\nZ-20.\nX52.\nG40 X56.\n")
    assert (30.0, 2.0 - r) in places
    # Along a cylinder the reference point is on it; at 45° it lies off by what the nose's middle does: r (1 - tan 22.5°).
    inner = round(-10 + r * half - r, 3)
    assert any(x == 30.0 and z == pytest.approx(inner, abs=2e-3) for x, z in places)


def test_without_its_radius_compensation_is_told() -> None:
    blade = HEAD.replace("T0101", "T1111") + "G42 G1 X30. Z2. F0.2\nZ-5.\nG40 X56.\n" + TAIL
    assert any("no nose radius" in t for t in stops(checked(lathe_job(), text=blade)))


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("G42 G1 X30. Z2. F0.2\nZ-10.\nX52.\n", "still on at the end"),
        ("G42 G2 X30. Z2. R5. F0.2\nG1 Z-10.\nG40 X52.\n", "taken up on an arc"),
        ("G42 G1 X30. Z2. F0.2\nZ-10.\nG2 X30.6 Z-10.3 R0.3\nG1 X52.\nG40 X56.\n", "larger than this inside arc"),
    ],
)
def test_what_a_control_refuses_is_told(text: str, told: str) -> None:
    found = checked(lathe_job(), text=HEAD + text + TAIL)
    assert any(told in f.text for f in found.findings)
