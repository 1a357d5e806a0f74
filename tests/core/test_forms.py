"""Declared fields, tools and setup: what is asked, suggested and refused."""

from __future__ import annotations

import contextlib

import pytest

from bastler.core.cycles import cycles
from bastler.core.fields import Unanswered, Value, Values, read
from bastler.core.job.clamping import clamping_frame, read_clamping
from bastler.core.planner import plan
from bastler.core.quantities import Kind
from bastler.core.tooling.feeds import suggest_feed, suggest_speed
from bastler.core.tooling.kinds import KINDS, read_tool
from bastler.core.tooling.machines import machines
from bastler.core.tooling.materials import materials
from tests.jobs import CORNERS, DRILL_68, END_MILL, FACE, LEFT, TOOLS, changed, plate

GOOD = {"diameter": "10", "flute_length": "22"}


@pytest.mark.parametrize(
    ("values", "field", "says"),
    [
        ({"flutes": "0"}, "flutes", "at least 1"),
        ({"flutes": "2.5"}, "flutes", "not a whole number"),
        ({"shank_diameter": "41"}, "shank_diameter", "thicker than the holder"),
        ({"stick_out": "20"}, "stick_out", "only 20 stand out"),
        ({"corner_radius": "6"}, "corner_radius", "at most half the diameter, 5"),
        ({"diameter": "0"}, "diameter", "above 0"),
        ({"diameter": "1e99"}, "diameter", "beyond"),
        ({"holder": "40; 3 x 3"}, "holder", "diameter x length"),
    ],
)
def test_impossible_tools_are_refused_at_the_field(values: dict[str, str], field: str, says: str) -> None:
    tool, answers = read_tool(7, "end-mill", "", {**GOOD, **values})
    assert tool is None
    assert [p.field for p in answers.problems] == [field]
    assert says in answers.problems[0].text


def test_a_number_used_twice_is_refused_with_a_free_one() -> None:
    job = plate(tools=(*TOOLS, END_MILL))
    found = plan(job, moves=False)
    problem = found.tool_answers[4].problems[0]
    assert problem.field == "number"
    assert "used twice. 5 is free" in problem.text
    assert "used twice" in (found.first_obstacle() or "")


def test_tool_geometry() -> None:
    tool, _ = read_tool(3, "drill", "d", DRILL_68.values)
    assert tool is not None
    assert tool.tip_length == pytest.approx(2.0429, abs=1e-4)  # 3.4 / tan 59°
    assert tool.gauge_length == 75 + 55
    assert tool.silhouette()[0] == (0.0, 0.0)
    assert tool.non_cutting()[0] == (3.4, 69.0, 75.0)


def test_every_field_has_a_question_and_a_sound_default() -> None:
    everything = [f for c in cycles().values() for f in c.fields] + [f for k in KINDS.values() for f in k.fields]
    for field in everything:
        assert field.question.endswith(("?", "."))
        if field.default and field.kind is not Kind.TOOL:
            assert not read((field,), {}, None).problems, field.key


def test_speed_and_feed_follow_the_definitions() -> None:
    tool, _ = read_tool(2, "end-mill", "", END_MILL.values)
    assert tool is not None
    material, machine = materials()["S235"], machines()["small-mill-mm"]
    speed = suggest_speed(tool, material, machine)
    assert speed.text == "5700"  # 1000 · 180 / (π · 10) = 5730
    assert "180 m/min" in speed.reason
    assert suggest_feed(tool, material, machine, 5700).text == "1000"  # 5700 · 3 · 0.06 = 1026
    aluminium = suggest_speed(tool, materials()["AW-6082"], machine)
    assert aluminium.text == "6000"
    assert "held to" in aluminium.reason


def test_empty_essential_answers_are_asked_for_and_suggestions_wait() -> None:
    step = LEFT.changed(values={})
    answers = plan(plate(step), moves=False).steps[0].answers
    assert answers.missing == ("centre_x", "centre_y", "length", "width", "corner", "depth")
    answers = plan(plate(LEFT), moves=False).steps[0].answers
    assert answers.suggestions["tool"].text == "2"
    assert "largest that fits radius 6" in answers.suggestions["tool"].reason
    assert answers.values.depth_per_pass <= 12.01
    assert " deep, " in answers.suggestions["depth_per_pass"].reason


@pytest.mark.parametrize(
    ("step", "field", "says"),
    [
        (changed(LEFT, corner="4", tool="2"), "tool", "The largest that fits is 8"),
        (changed(LEFT, width="9", corner="4.5", tool="2"), "tool", "too big"),
        (changed(LEFT, depth="25", tool="2"), "depth", "below the block"),
        (changed(LEFT, corner="25"), "corner", "at most half the width, 20"),
        (changed(LEFT, depth_per_pass="30"), "depth_per_pass", "at most that per pass"),
        (changed(LEFT, entry="plunge"), "entry", "may not plunge"),
        (changed(LEFT, length="12", width="12", tool="2", entry="ramp"), "entry", "Drill a hole before"),
        (changed(LEFT, length="14", width="14", tool="2", entry="ramp"), "entry", "Use a helix."),
        (changed(LEFT, length="60", width="12", tool="2", entry="helix"), "entry", "Use a ramp."),
        (changed(LEFT, ramp_angle="10"), "ramp_angle", "3° at most"),
        (changed(LEFT, side_step="9"), "side_step", "Take at most 7.5"),
        (changed(LEFT, compensation="control", lead_radius="0"), "compensation", "Let Bastler offset the path"),
        (changed(LEFT, leave_floor="13"), "leave_floor", "More is left"),
        (changed(LEFT, tool="9"), "tool", "not usable from the tool table"),
        (changed(CORNERS, diameter="8"), "tool", ""),
        (changed(CORNERS, tool="3"), "tool", "makes 6.8; the hole is 8.5"),
        (changed(CORNERS, points="1, 1; 1, 1"), "points", "same place"),
        (changed(FACE, level="5"), "level", "Nothing stands above"),
        (
            changed(FACE, area="rectangle", centre_x="100", centre_y="60", length="100", width="120"),
            "length",
            "make it reach the edge",
        ),
    ],
)
def test_what_cannot_be_cut_is_refused_with_the_remedy(step, field: str, says: str) -> None:  # type: ignore[no-untyped-def]
    answers = plan(plate(step)).steps[0].answers
    assert not answers.complete
    flagged = [p for p in answers.problems if p.field == field]
    assert field in answers.missing if not says else says in flagged[0].text


def test_a_deep_pass_is_flagged_but_planned() -> None:
    found = plan(plate(changed(LEFT, depth_per_pass="16", clear_by="loops"))).steps[0]
    assert found.ready
    assert "16 per pass is much" in found.answers.problems[0].text


@pytest.mark.parametrize("anchor", ["-,-,+", "0,0,0", "+,+,-"])
def test_zero_is_the_chosen_point(anchor: str) -> None:
    for by, pick in (("part", "part"), ("block", "block")):
        setup = plate(zero_by=by, anchor=anchor).setups[0]
        box = getattr(clamping_frame(setup, read_clamping(setup, "mm")), pick)
        low, high = (box.x0, box.y0, box.z0), (box.x1, box.y1, box.z1)
        for i, sign in enumerate(anchor.split(",")):
            assert {"-": low[i], "0": (low[i] + high[i]) / 2, "+": high[i]}[sign] == pytest.approx(0.0)


def test_typed_zero_and_grip() -> None:
    setup = plate(zero_by="typed", zero_x="10", zero_y="20", zero_z="22").setups[0]
    assert clamping_frame(setup, read_clamping(setup, "mm")).block.x0 == -10
    assert "can't hold" in read_clamping(plate(grip="30").setups[0], "mm").problems[0].text


def test_gathering_keeps_what_depends_on_the_order() -> None:
    steps = (FACE, CORNERS, LEFT, changed(CORNERS, points="100, 60").changed(id="again"))
    assert plan(plate(*steps)).order == (0, 1, 2, 3)
    assert plan(plate(*steps, gather=True)).order == (0, 1, 3, 2)
    through_pocket = changed(CORNERS, points="48, 60").changed(id="inside")
    assert plan(plate(FACE, CORNERS, LEFT, through_pocket, gather=True)).order == (0, 1, 2, 3)


def test_the_planner_knows_the_stock_that_earlier_steps_left() -> None:
    unfaced, faced = plan(plate(LEFT)), plan(plate(FACE, LEFT))
    assert unfaced.steps[0].moves[1].z == 4.0  # type: ignore[union-attr]
    assert faced.steps[1].moves[1].z == 2.0  # type: ignore[union-attr]


class Asked(Values):
    """No answers, and which of them were asked for."""

    def __init__(self) -> None:
        super().__init__({})
        self.keys = set[str]()

    def get(self, name: str, otherwise: Value = None) -> Value:
        self.keys.add(name)
        return otherwise

    def __getattr__(self, name: str) -> Value:
        if name in ("keys", "_ahead", "_known"):
            raise AttributeError(name)
        self.keys.add(name)
        raise Unanswered(name)


@pytest.mark.parametrize("cycle", cycles().ids())
def test_a_field_is_hidden_by_answers_before_it_only(cycle: str) -> None:
    """What stands further down in the form isn't read yet: a field would be shown that does nothing."""
    fields = cycles()[cycle].fields
    for k, one in enumerate(fields):
        asked = Asked()
        with contextlib.suppress(Unanswered, AttributeError, TypeError):
            one.shown(asked)
        assert asked.keys.isdisjoint({f.key for f in fields[k:]}), one.key
