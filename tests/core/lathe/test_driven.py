"""Driven tools on a lathe: from a step on a surface to text, back to moves in the part, and what the check says."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from bastler.core.checked import Checked
from bastler.core.engine import Engine
from bastler.core.exchange.stl import write_stl
from bastler.core.gcode.motion import ARC, CHANGE, FEED, THREAD
from bastler.core.geometry.shapes import Box
from bastler.core.geometry.surface import Surface
from bastler.core.geometry.underside import slope_of
from bastler.core.job.document import Job, Step
from bastler.core.moves import Turn
from bastler.core.planner import plan
from bastler.core.problems import Unusable
from bastler.core.request import Request
from tests.hub import BOLTS, FACE, HANDLES, MACHINES, TURN, hub


def checked(job: Job, text: str = "") -> Checked:
    return Engine().check(Request(job, text=text.encode() if text else None))


def posted(job: Job) -> str:
    return checked(job).program.text


def kinds(found: Checked) -> set[str]:
    return {f.kind for f in found.findings if f.severity != "note"}


def changed(step: Step, **values: str) -> Step:
    return step.changed(values={**step.values, **values})


def bottoms(found: Checked) -> list[tuple[float, ...]]:
    """Where driven tools end their cuts, in the part."""
    m = found.motion
    at = np.flatnonzero((m.driver > 0) & (m.kind == FEED))
    return [tuple(np.round(m.end[i], 3)) for i in at]


@given(
    st.sampled_from(("end", "flat", "round")),
    st.floats(-400, 400),
    st.floats(0, 50),
    st.tuples(*[st.floats(-60, 60)] * 3),
)
def test_a_surface_is_a_right_handed_frame(
    on: str, angle: float, distance: float, p: tuple[float, float, float]
) -> None:
    surface = Surface(on, angle, distance)  # type: ignore[arg-type]
    assert surface.seen(*surface.place(*p)) == pytest.approx(p, abs=1e-9)
    zero = np.array(surface.place(0.0, 0.0, 0.0))
    x, y, z = (np.array(surface.place(*unit)) - zero for unit in ((1, 0, 0), (0, 1, 0), (0, 0, 1)))
    assert np.cross(x, y) == pytest.approx(z, abs=1e-9)


@pytest.mark.parametrize("machine", MACHINES.values())
def test_the_hub_is_drilled_in_face_and_side(machine: str) -> None:
    found = checked(hub(machine=machine))
    assert kinds(found) == set()
    deep = 12 + 2.1 * slope_of(118)
    face = [(21 * math.cos(a), 21 * math.sin(a), -deep) for a in (math.radians(72 * k) for k in range(5))]
    tip = 9.0 - 4 * slope_of(118)
    side = [(tip * math.cos(a), tip * math.sin(a), -20.0) for a in (math.radians(120 * k) for k in range(3))]
    assert np.array(bottoms(found)) == pytest.approx(np.array([*face, *side]), abs=2e-3)


def test_what_was_drilled_is_its_closed_form() -> None:
    found = checked(hub())
    by_step = {step["name"]: step["removed_mm3"] for step in found.report()["steps"]}
    slope = slope_of(118)
    face = 5 * (math.pi * 2.1**2 * 12 + math.pi * 2.1**2 * 2.1 * slope / 3)
    side = 3 * (
        quad(lambda y: 2 * math.sqrt(16 - y * y) * (math.sqrt(29**2 - y * y) - 9), -4, 4)[0]
        + math.pi * 16 * 4 * slope / 3
    )
    drilled = [v for name, v in by_step.items() if "Drill" in name]
    assert drilled == pytest.approx([face, side], rel=0.005)
    turned = math.pi * (30**2 * 71 - 30**2 - (30**2 - 29**2) * 50)
    assert found.volume_after == pytest.approx(
        math.pi * 30**2 * (found.volume_before / (math.pi * 30**2)) - sum(by_step.values()), rel=1e-3
    )
    assert turned > 0


@pytest.mark.parametrize("machine", MACHINES.values())
def test_a_tool_changed_while_c_is_turned_stays_where_it_is(machine: str) -> None:
    """The first way of the next tool begins at the change place, as far from the axis as that is."""
    job = hub(machine=machine)
    found, turret = checked(job), plan(job).frame.machine.turret
    m = found.motion
    change = int(np.flatnonzero((m.kind == CHANGE) & (m.tool == 13))[0])
    assert math.hypot(*m.start[change + 1][:2]) == pytest.approx(turret.change_x / 2)
    assert m.start[change + 1][2] == pytest.approx(turret.change_z)


def test_modes_are_begun_and_ended_once() -> None:
    text = posted(hub(FACE, BOLTS, HANDLES, changed(TURN, diameter="59")))
    words = re.findall(r"\b(M5|M45|M46|M33|M35|M3|G98|G99|T\d+)\b", text.split("G99", 1)[1])
    assert words == [
        "T0101",
        "M3",
        "T0202",
        "M5",
        "M45",
        "G98",
        "M33",
        "M35",
        "T1313",
        "M33",
        "M35",
        "M46",
        "G99",
        "T0101",
        "M3",
        "M5",
    ]


def test_c_goes_the_shortest_way() -> None:
    text = posted(hub(FACE, changed(BOLTS, start_angle="100", count="3")))
    assert re.findall(r"C(-?[\d.]+)", text.split("M45", 1)[1]) == ["0.", "100.", "220.", "340."]


@pytest.mark.parametrize(
    ("values", "field", "says"),
    [
        ({"tool": "12"}, "tool", "points towards the axis"),
        ({"tool": "9", "diameter": "8"}, "tool", "stands still"),
        ({"circle_diameter": "4", "depth": "60"}, "tool", "stands out"),
    ],
)
def test_a_tool_that_cannot_do_it_is_refused_at_its_field(values: dict[str, str], field: str, says: str) -> None:
    problems = plan(hub(FACE, changed(BOLTS, **values))).steps[1].answers.problems
    assert any(p.field == field and says in p.text and p.blocks for p in problems)


def test_beside_the_middle_only_a_y_axis_goes() -> None:
    step = plan(hub(FACE, changed(HANDLES, points="-20, 5"))).steps[1]
    assert [p.field for p in step.answers.problems] == ["works_on"]
    assert "Y axis" in step.answers.problems[0].text
    assert not step.answers.complete


def test_a_lathe_without_driven_tools_refuses_the_step() -> None:
    step = plan(hub(FACE, BOLTS, machine="small-lathe-mm")).steps[1]
    assert "is for a mill" in step.answers.problems[0].text


FAULTS = [
    (r"M45\n", "\n", "axis-mode", "the axis isn't switched on"),
    (r"(N\d+) M5\nN\d+ M45", r"\1 M45", "axis-mode", "the spindle still turns"),
    (r"S\d+ M33", "", "spindle-off", "the driven tool stands"),
    (r"M33", "M34", "wrong-turn", "it turns the wrong way"),
    (r"S(\d+) M33", "S9000 M33", "speed-limit", "it turns too fast"),
    (r"G0 G98 C0\.", "G0 C0.", "feed-mode", "feeds per turn"),
    (r"G1 Z-13\.262", r"G0 Z-13.262", "rapid-in-stock", "rapid into the face"),
    (r"G1 Z-13\.262", "G1 Z-14.262", "gouge", "too deep"),
    (r"G1 Z-13\.262 F120", "G1 Z-9.262 F120", "left-standing", "one not deep enough"),
    (r"C72\.", "C75.", "gouge", "a wrong angle"),
    (r"N\d+ M68\n", "", "brake-open", "C isn't held"),
    (r"N\d+ M69\n", "", "axis-mode", "C turns while it is held"),
    (r"Z-20\. C360\.", "Z-66. C360.", "fixture-contact", "into the jaws"),
    (r"G1 X13\.193", "G1 X-40.", "gouge", "through the far side"),
]  # fmt: skip


@pytest.mark.parametrize(("wrong", "instead", "kind", "why"), FAULTS, ids=[f[3] for f in FAULTS])
def test_a_fault_in_the_text_is_found(wrong: str, instead: str, kind: str, why: str) -> None:
    job = hub()
    text = posted(job)
    spoilt = re.sub(wrong, instead, text, count=1)
    assert spoilt != text
    assert kind in kinds(checked(job, spoilt)), why


def test_turning_after_drilling_takes_the_drilled_metal_along() -> None:
    """A shoulder turned over a cross hole: the hole is as deep as what is left."""
    late = changed(TURN, diameter="50", length="30")
    found = checked(hub(FACE, HANDLES, late))
    assert "gouge" not in kinds(found)
    whole = checked(hub(FACE, late, HANDLES))
    assert found.volume_after == pytest.approx(whole.volume_after, rel=2e-4)


# milling the end face


def on_face(cycle: str, **values: str) -> Step:
    return Step(id=cycle, cycle=cycle, values={"works_on": "end", "tool": "8", **values})


POCKET = on_face("pocket", centre_x="4", centre_y="-3", length="24", width="18", corner="3.5", depth="6", angle="20")
FACES = {
    "pocket": (POCKET, 6 * (24 * 18 - (4 - math.pi) * 3.5**2)),
    "round": (on_face("round", pattern="points", points="-8, 5", diameter="30", depth="5"), math.pi * 15**2 * 5),
    "outside": (
        on_face(
            "outside", shape="rectangle", centre_x="0", centre_y="0", length="36", width="30", corner="0", depth="8"
        ),
        (math.pi * 29**2 - 36 * 30) * 8,
    ),
}


@pytest.mark.parametrize("machine", MACHINES.values())
@pytest.mark.parametrize("cycle", FACES)
def test_an_end_face_is_milled_as_a_block_is(cycle: str, machine: str) -> None:
    step, exact = FACES[cycle]
    found = checked(hub(FACE, TURN, step, machine=machine))
    assert kinds(found) == set()
    removed = found.report()["steps"][-1]["removed_mm3"]
    assert removed == pytest.approx(exact, rel=0.002)


def test_across_the_axis_it_feeds_as_c_can_follow() -> None:
    """A groove straight through the middle: |v| / d stays within what C turns, but for the last hair."""
    job = hub(FACE, TURN, on_face("round", pattern="points", points="0, 0", diameter="16", depth="4"))
    found, turns = checked(job), plan(job).frame.machine.axis("C")
    assert turns is not None
    m = found.motion
    for i in np.flatnonzero((m.driver > 0) & (m.kind != CHANGE) & (m.c0 != m.c1)):
        p = m.chords(i, 0.02)
        if np.hypot(p[:, 0], p[:, 1]).min() < 0.1 or not m.feed[i]:
            continue
        swung = np.abs(np.diff(np.unwrap(np.arctan2(p[:, 1], p[:, 0]))))
        minutes = np.linalg.norm(np.diff(p, axis=0), axis=1) / m.feed[i]
        assert (np.degrees(swung) <= 1.03 * turns.rapid * minutes + 1e-6).all()


def test_moves_in_the_plane_of_the_face_are_read_as_they_were_planned() -> None:
    """The tool's way in the part against the plan's moves on the surface."""
    job = hub(FACE, TURN, POCKET)
    ends = [(m.x, m.y) for m in plan(job).steps[2].moves if isinstance(m, Turn)]
    m = checked(job).motion
    arcs = np.flatnonzero((m.driver > 0) & (m.kind == ARC))
    read = m.end[arcs][:, :2]
    for x, y in ends:
        assert np.hypot(*(read - (x, y)).T).min() < 0.002


FACE_FAULTS = [
    (r"N\d+ G12\.1\n", "", "the plane of the face isn't switched on"),
    (r"G12\.1", "G0 C40.\nG12.1", "C doesn't stand at 0"),
    (r"M45\n", "\n", "no axis at all"),
    (r"G12\.1", "M68\nG12.1", "C is held by its brake"),
]  # fmt: skip


@pytest.mark.parametrize(("wrong", "instead", "why"), FACE_FAULTS, ids=[f[2] for f in FACE_FAULTS])
def test_a_fault_in_a_text_for_the_face_is_found(wrong: str, instead: str, why: str) -> None:
    job = hub(FACE, TURN, POCKET)
    text = posted(job)
    spoilt = re.sub(wrong, instead, text, count=1)
    assert spoilt != text
    assert any(f.severity == "stop" for f in checked(job, spoilt).findings), why


# threads

M5 = {"hole": "thread", "thread": "M5", "depth": "10"}
THREADS = {
    "end": Step(id="m5", cycle="recipe", values={**BOLTS.values, **M5, "tool": ""}),
    "round": Step(id="m5", cycle="recipe", values={k: v for k, v in HANDLES.values.items() if k != "tool"} | M5),
}


@pytest.mark.parametrize("machine", MACHINES.values())
@pytest.mark.parametrize("on", THREADS)
def test_threads_are_made_by_a_recipe(on: str, machine: str) -> None:
    job = hub(FACE, TURN, THREADS[on], machine=machine)
    found, step = checked(job), plan(job).steps[2]
    assert [p.cycle.id for p in step.parts] == ["spot", "drill", "tap"]
    assert {p.tool.driven for p in step.parts if p.tool} == {"along" if on == "end" else "across"}
    assert kinds(found) == set()
    m = found.motion
    taps = np.flatnonzero((m.driver > 0) & (m.kind == THREAD))
    assert len(taps) == 2 * (5 if on == "end" else 3)
    assert m.feed[taps] / m.speed[taps] == pytest.approx(0.8, rel=1e-3)
    assert m.turn[taps].tolist() == [1, -1] * (len(taps) // 2)


@pytest.mark.parametrize(
    ("wrong", "instead", "kind"),
    [(r"(G84 Z-12\.4) F448", r"\1 F500", "wrong-pitch"), (r"G1 Z-\d+\.\d+ F120", "G1 Z-1. F120", "tap-hole")],
)
def test_a_wrong_tap_is_found(wrong: str, instead: str, kind: str) -> None:
    job = hub(FACE, TURN, THREADS["end"])
    text = posted(job)
    spoilt = re.sub(wrong, instead, text, count=1)
    assert spoilt != text
    assert kind in kinds(checked(job, spoilt))


# slots


def keyway(**values: str) -> Step:
    place = {
        "works_on": "round",
        "from_axis": "29",
        "at_angle": "30",
        "centre_x": "-25",
        "measured": "centres",
        "length": "24",
    }
    return Step(id="key", cycle="slot", values={**place, **values})


@pytest.mark.parametrize("machine", MACHINES.values())
def test_a_keyway_is_its_closed_form(machine: str) -> None:
    found = checked(hub(FACE, TURN, keyway(width="8", depth="4", tool="33"), machine=machine))
    assert kinds(found) == set()
    exact = quad(lambda y: (math.sqrt(29**2 - y * y) - 25) * (24 + 2 * math.sqrt(16 - y * y)), -4, 4)[0]
    assert found.report()["steps"][-1]["removed_mm3"] == pytest.approx(exact, rel=0.003)


def test_a_keyway_is_suggested_by_its_standard() -> None:
    """ISO 773: over 50 up to 58 mm a key 16 wide, 6 deep in the shaft."""
    answers = plan(hub(FACE, TURN, keyway())).steps[2].answers
    assert answers.suggestions["from_axis"].text == "29"
    assert (answers.suggestions["width"].text, answers.suggestions["depth"].text) == ("16", "6")
    smaller = plan(hub(FACE, TURN, keyway(from_axis="12"))).steps[2].answers
    assert (smaller.suggestions["width"].text, smaller.suggestions["depth"].text) == ("8", "4")


def test_the_same_slot_moves_to_the_end_face() -> None:
    there = keyway(width="8", depth="4", tool="23", works_on="end", centre_x="5", angle="30", length="20")
    found = checked(hub(FACE, TURN, there))
    assert kinds(found) == set()
    assert found.report()["steps"][-1]["removed_mm3"] == pytest.approx(4 * (20 * 8 + math.pi * 16), rel=0.003)


def test_a_slot_wider_than_its_tool_needs_a_y_axis_on_the_side() -> None:
    step = plan(hub(FACE, TURN, keyway(width="10", depth="4", tool="33"))).steps[2]
    assert [p.field for p in step.answers.problems if p.blocks] == ["works_on"]


# what comes off


def test_a_piece_that_is_parted_off_keeps_its_holes() -> None:
    """The finished shape is judged, and shown, with what lies in the catcher by then."""
    off = Step(id="off", cycle="part_off", values={"back_z": "-50", "tool": "40"})
    steps = (FACE, TURN, BOLTS, HANDLES)
    whole, parted = checked(hub(*steps)), checked(hub(*steps, off))
    assert kinds(parted) == set()
    gone = math.pi * 30**2 * 3  # the bar behind the turned length
    assert parted.volume_after == pytest.approx(whole.volume_after - gone, rel=2e-3)
    surface = parted.section.surface
    assert surface is not None
    assert (surface[2] >= 0).sum() > 500
    text = re.sub(r"G1 Z-13\.262 F120", "G1 Z-9.262 F120", parted.program.text, count=1)
    assert "left-standing" in kinds(checked(hub(*steps, off), text))


def test_the_cut_part_is_written_as_one_closed_solid(tmp_path: Path) -> None:
    found = checked(hub())
    file = tmp_path / "hub.stl"
    count = write_stl(found, Box(-30, 30, -30, 30, -70, 0), file)
    data = np.frombuffer(
        file.read_bytes()[84:], np.dtype([("normal", "<f4", 3), ("at", "<f4", (3, 3)), ("more", "<u2")])
    )
    at = data["at"].astype(float)
    assert len(at) == count
    assert np.einsum("ij,ij->", at[:, 0], np.cross(at[:, 1], at[:, 2])) / 6 == pytest.approx(
        found.volume_after, rel=5e-3
    )
    with pytest.raises(Unusable):
        write_stl(found, Box(-30, 30, -30, 30, -70, 0), file, finished=True)


@pytest.mark.parametrize("line", ["G0 C9999999.", "G0 X99999999. C40.", "G1 H-99999. F100", "G0 X1e9 H360."])
def test_numbers_that_cannot_be_meant_are_told_and_soon_done(line: str) -> None:
    text = posted(hub())
    spoilt = re.sub(r"\n(N\d+) C72\.", rf"\n{line}\n\1 C72.", text, count=1)
    found = checked(hub(), spoilt)
    assert any(f.severity == "stop" for f in found.findings)
    assert len(found.motion) < 20_000


def test_after_the_plane_of_the_face_c_is_said_anew() -> None:
    """A slot through the axis ends in its middle, where the way says nothing of C; whole turns made there are none that C has to go back."""
    middle = keyway(works_on="end", centre_x="0", width="10", length="30", depth="3", tool="8", leave_walls="0")
    side = Step(id="side", cycle="drill", values={**HANDLES.values, "times_round": "1"})
    found = checked(hub(FACE, TURN, middle, side))
    assert kinds(found) == set()
    after = found.program.text.split("G13.1")[-1]
    assert re.search(r"C0\.", after)
    m = found.motion
    last = np.flatnonzero((m.driver > 0) & (m.tool == 13))
    assert abs(m.c0[last[0]]) <= math.tau


@pytest.mark.parametrize(
    ("cycle", "values", "field", "says"),
    [
        ("drill", {"pattern": "circle", "centre_x": "0", "centre_y": "0", "circle_diameter": "80", "count": "4", "diameter": "8", "depth": "5", "tool": "3"}, "circle_diameter", "the face ends 30 from the axis"),
        ("engrave", {"works_on": "unrolled", "from_axis": "29", "start_x": "20", "text": "A", "height": "5", "tool": "31"}, "start_x", "the part ends at X 0"),
        ("engrave", {"works_on": "round", "from_axis": "29", "start_x": "-200", "start_y": "0", "what": "scale", "count": "1", "length": "3", "angle": "0", "tool": "31"}, "start_x", "the bar ends at X"),
    ],
)  # fmt: skip
def test_what_lies_beside_the_part_is_said_at_its_field(
    cycle: str, values: dict[str, str], field: str, says: str
) -> None:
    problems = plan(hub(FACE, TURN, Step(id="x", cycle=cycle, values=values))).steps[-1].answers.problems
    assert says in next(p.text for p in problems if p.field == field)


def test_a_driven_tool_is_neither_offered_nor_taken_where_the_part_turns() -> None:
    step = Step(id="x", cycle="axis_hole", values={"depth": "20"})
    answers = plan(hub(FACE, TURN, step)).steps[-1].answers
    assert answers.suggestions["tool"].text == "9", "the drill that stands still"
    taken = plan(hub(FACE, TURN, changed(step, tool="2"))).steps[-1].answers
    assert [p.field for p in taken.problems if p.blocks] == ["tool"]
    assert "is driven" in taken.problems[0].text


def test_a_deep_hole_beside_the_axis_of_a_thin_bar_is_no_gouge() -> None:
    """Its floor lies farther from the face than the bar's outside from the axis."""
    hole = Step(id="deep", cycle="drill", values={
        "works_on": "end", "pattern": "points", "points": "4 at 30; 4 at 210", "diameter": "4.2", "depth": "38", "tool": "2",
    })  # fmt: skip
    job = hub(FACE, hole)
    setup = job.setups[0]
    values = {**setup.values, "diameter": "20", "out": "70"}
    found = checked(job.changed(setups=(setup.changed(values=values),)))
    assert kinds(found) == set()
