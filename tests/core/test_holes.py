"""Patterns, the order of holes, what a hole step finds before it, and recipes."""

from __future__ import annotations

import itertools
import math
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.benches import post
from bastler.core.cycles import cycles
from bastler.core.engine import Engine
from bastler.core.fields import Field, parse, typed_text
from bastler.core.job.document import Job, PatternRecord, Setup, Step
from bastler.core.moves import Bore, Drill, Feed, Pecks, Rapid, Tap
from bastler.core.planner import plan
from bastler.core.planning.ordering import length, shortest
from bastler.core.planning.patterns import frame, grid, line, read_patterns
from bastler.core.plans.plan import Plan, StepPlan
from bastler.core.post.dialect import dialects
from bastler.core.post.holewords import canned, written_out
from bastler.core.quantities import Kind
from bastler.core.request import Request
from tests.closed_loop.test_every_cycle import STOCK
from tests.closed_loop.test_every_cycle import TOOLS as ALL_TOOLS

ISO, PLAIN = dialects()["iso-mill"].holes, dialects()["iso-mill-plain"].holes


def job(*steps: Step, patterns: tuple[PatternRecord, ...] = ()) -> Job:
    return Job(tools=ALL_TOOLS, patterns=patterns, setups=(Setup(steps=steps, values=STOCK),))


def step(cycle: str, id_: str = "s", **values: str) -> Step:
    return Step(id=id_, cycle=cycle, values=values)


def planned(*steps: Step, patterns: tuple[PatternRecord, ...] = ()) -> StepPlan:
    return plan(job(*steps, patterns=patterns)).steps[-1]


def told(one: StepPlan) -> list[str]:
    return [p.text for p in one.answers.problems]


# patterns


def test_frames_go_round_once() -> None:
    points = frame((0, 0), 60, 40, 3, 2, 0)
    assert points == [(-30, -20), (0, -20), (30, -20), (30, 20), (0, 20), (-30, 20)]
    assert len(frame((0, 0), 60, 40, 4, 3, 0)) == 2 * 4 + 2 * 1
    assert len(set(frame((5, 5), 60, 40, 5, 5, 30))) == 16


def test_staggered_and_leaning_grids() -> None:
    assert grid((0, 0), 2, 2, 10, 5, 0, staggered=True) == [(0, 0), (10, 0), (15, 5), (5, 5)]
    leaning = grid((0, 0), 1, 2, 10, 5, 0, skew_deg=45)
    assert leaning[1] == pytest.approx((5, 5))
    assert line((1, 2), 3, 10, 90)[2] == pytest.approx((1, 22))


def records(*values: dict[str, str]) -> tuple[PatternRecord, ...]:
    return tuple(PatternRecord(id=f"#{i}", name=f"p{i}", values=v) for i, v in enumerate(values))


def test_copies_are_mirrored_turned_and_shifted() -> None:
    given_ = records({"pattern": "points", "points": "10, 5; 20, 5"}, {"pattern": "copy", "source": "#0", "mirror": "y", "shift_x": "100"},
                     {"pattern": "copy", "source": "#1", "angle": "90"})  # fmt: skip
    found, answers = read_patterns(given_, "mm")
    assert all(a.complete for a in answers)
    assert found["#1"].points == ((90, 5), (80, 5))
    assert found["#2"].points == (pytest.approx((-5, 90)), pytest.approx((-5, 80)))


def test_a_pattern_made_of_itself_is_told() -> None:
    found, answers = read_patterns(
        records(
            {"pattern": "copy", "source": "#1"},
            {"pattern": "copy", "source": "#0"},
            {"pattern": "copy", "source": "#2"},
        ),
        "mm",
    )
    assert all("made of itself" in one.lacks for one in found.values())
    texts = [p.text for a in answers for p in a.problems]
    assert sum("is made of itself" in t for t in texts) == 2 + 1, "and the one that copies one of them"
    lost, answers = read_patterns(records({"pattern": "copy", "source": "#9"}), "mm")
    assert "is gone" in lost["#0"].lacks
    assert "is gone" in answers[0].problems[0].text


def test_one_change_moves_every_step_on_the_pattern() -> None:
    def bounds_of(points: str) -> list[object]:
        shared = (PatternRecord(id="#a", name="a", values={"pattern": "points", "points": points}),)
        p: Plan = plan(
            job(
                step("spot", "1", pattern="#a", diameter="8"),
                step("drill", "2", pattern="#a", diameter="6.8", depth="9"),
                patterns=shared,
            )
        )
        return [r.bounds() for s in p.steps for r in s.removals]

    assert len(bounds_of("0, 20; 10, 20")) == 4
    assert bounds_of("0, 20; 10, 20") != bounds_of("0, 30; 10, 20")
    gone = planned(step("drill", pattern="#nowhere", diameter="6.8", depth="9"))
    assert "is gone. Choose another" in told(gone)[0]


@pytest.mark.parametrize(
    ("values", "says"),
    [
        (
            {
                "pattern": "circle",
                "centre_x": "0",
                "centre_y": "40",
                "circle_diameter": "30",
                "count": "4",
                "skip": "9",
            },
            "There is no hole 9",
        ),
        (
            {
                "pattern": "circle",
                "centre_x": "0",
                "centre_y": "40",
                "circle_diameter": "30",
                "count": "1",
                "skip": "1",
            },
            "No hole is left",
        ),
        ({"points": "0, 20; 0, 20"}, "lie on the same place"),
    ],
)
def test_places_that_can_not_be(values: dict[str, str], says: str) -> None:
    assert any(says in t for t in told(planned(step("drill", diameter="6.8", depth="9", **values))))


# the order of holes


@given(st.lists(st.tuples(st.integers(0, 100), st.integers(0, 100)), min_size=1, max_size=40, unique=True))
@settings(max_examples=40)
def test_the_short_way_visits_all_from_the_first(points: list[tuple[float, float]]) -> None:
    way = shortest(tuple(points))
    assert sorted(way) == sorted(points)
    assert way[0] == points[0]
    assert length(list(way)) <= length(points) + 1e-9


def test_the_short_way_of_few_points_is_the_shortest() -> None:
    rng = random.Random(7)
    for _ in range(12):
        points = tuple((rng.uniform(0, 100), rng.uniform(0, 100)) for _ in range(7))
        best = min(length([points[0], *p]) for p in itertools.permutations(points[1:]))
        assert length(list(shortest(points))) <= 1.05 * best


# canned cycles or plain moves

POINTS = ((10.0, 10.0), (30.0, 12.5))
SHARED = {"points": POINTS, "start": 2.0, "bottom": -8.0, "feed": 100.0, "back": 2.0}


@pytest.mark.parametrize(
    ("move", "word"),
    [
        (Drill(**SHARED), "G81"), (Drill(**SHARED, dwell_s=1.0), "G82"), (Drill(**SHARED, pecks=Pecks(True, 3)), "G83"), (Drill(**SHARED, pecks=Pecks(False, 3)), "G73"),
        (Drill(**SHARED, pecks=Pecks(True, 3, less=1)), ""), (Drill(**SHARED, pecks=Pecks(True, 3, next=2)), ""), (Drill(**SHARED, pecks=Pecks(True, 3), dwell_s=1.0), ""),
        (Drill(**SHARED, slow_depth=1.0, slow_feed=20.0), ""), (Bore(**SHARED, leave="feed"), "G85"), (Bore(**SHARED, leave="feed", dwell_s=1.0), "G89"),
        (Bore(**SHARED, leave="stop"), "G86"), (Bore(**SHARED, leave="stop", dwell_s=1.0), ""), (Bore(**SHARED, leave="shift", shift=0.2), "G76"),
        (Tap(**SHARED, pitch=1.0, speed=300.0), "G84"), (Tap(**SHARED, pitch=1.0, speed=300.0, left=True), "G74"),
    ],
)  # fmt: skip
def test_what_a_control_has_a_cycle_for(move: Drill | Bore | Tap, word: str) -> None:
    assert canned(move, ISO).startswith(word) if word else canned(move, ISO) == ""
    assert canned(move, PLAIN) == ""
    moves = written_out(move, PLAIN)
    ends = [m.z for m in moves if isinstance(m, Feed | Rapid) and m.z is not None]
    assert min(ends) == -8.0
    assert ends[-1] == 2.0
    assert sum(isinstance(m, Rapid) and (m.x, m.y) in POINTS for m in moves) >= 2


@given(
    first=st.floats(0.5, 5),
    following=st.floats(0.5, 5),
    less=st.floats(0, 1),
    smallest=st.floats(0.1, 2),
    deep=st.floats(1, 40),
)
def test_pecks_go_down_and_end_at_the_bottom(
    first: float, following: float, less: float, smallest: float, deep: float
) -> None:
    depths = Pecks(True, first, following, less, smallest).depths(0.0, -deep)
    assert depths[-1] == -deep
    assert all(a > b for a, b in itertools.pairwise([0.0, *depths]))
    if len(depths) > 2:
        assert -depths[0] == pytest.approx(first)
        assert depths[0] - depths[1] == pytest.approx(max(following, min(smallest, first)))


# what was there before


CORE = {"points": "0, 20", "diameter": "6.8", "tool": "3"}


@pytest.mark.parametrize(
    ("before", "values", "says", "finding"),
    [
        ((), {"depth": "8"}, "Hole 1 is not drilled yet", "no-hole"),
        ((step("drill", "d", **CORE, depth="9"),), {"depth": "8"}, "Drill 2.75 deeper, or tap less deep", "tap-bottom"),
        ((step("drill", "d", points="0, 20", diameter="6.6", depth="15"),), {"depth": "8"}, "too narrow for M8: drill 6.8", "thread-hole"),
        ((step("drill", "d", points="0, 20", diameter="7.8", depth="15"),), {"depth": "8"}, "too wide for M8: drill 6.8", "thread-hole"),
        ((step("drill", "d", **CORE, depth="14"),), {"depth": "8"}, None, ""),
        ((step("drill", "d", **CORE, depth_to="through"),), {"depth_to": "through"}, None, ""),
    ],
)  # fmt: skip
def test_a_tap_knows_its_hole(before: tuple[Step, ...], values: dict[str, str], says: str | None, finding: str) -> None:
    one = planned(*before, step("tap", points="0, 20", thread="M8", **values))
    assert one.answers.complete
    flagged = [p for p in one.answers.problems if p.finding]
    assert [p.finding for p in flagged] == ([finding] if finding else [])
    if says:
        assert says in flagged[0].text


def test_a_tap_that_bottoms_out_is_a_stop_of_the_check() -> None:
    steps = (step("drill", "d", **CORE, depth="9"), step("tap", "t", points="0, 20", thread="M8", depth="8"))
    (stop,) = (f for f in Engine().check(Request(job(*steps), cell=0.2)).findings if f.kind == "tap-bottom")
    assert stop.severity == "stop", "what the step warns of as well is told once"
    assert "Drill deeper before, or tap less deep" in stop.text
    assert stop.at == pytest.approx((0.0, 20.0, -11.75))


def test_a_wrong_pitch_in_the_text_is_a_stop() -> None:
    steps = (
        step("drill", "d", **CORE, depth="15"),
        step("tap", "t", points="0, 20", thread="M8", depth="8", speed="400"),
    )
    text = post(plan(job(*steps)), dialects()["iso-mill"]).text
    assert "F500" in text
    found = (
        Engine().check(Request(job(*steps), text=text.replace("F500", "F400").encode(), name="x", cell=0.5)).findings
    )
    assert any(f.kind == "wrong-pitch" and "Write F500" in f.text for f in found)


@pytest.mark.parametrize(
    ("steps", "says"),
    [
        ((step("drill", "d", points="0, 20", diameter="6.8", depth="20"), step("ream", points="0, 20", diameter="8", depth="10")), "left 1.2 for the reamer"),
        ((step("drill", "d", points="0, 20", diameter="7.8", depth="8"), step("ream", points="0, 20", diameter="8", depth="10")), "full only down to Z -8"),
        ((step("drill", "d", points="0, 20", diameter="8.5", depth="8"), step("bore", points="0, 20", diameter="20", depth="6")), "needs a hole of 18; there is one of 8.5"),
        ((step("ream", points="0, 20", diameter="9", depth="10", tool="8"),), "makes 8; the hole is 9"),
        ((step("ream", points="0, 20", diameter="8", depth="10", tool="3"),), "of another kind: reamer"),
        ((step("spot", points="0, 20", diameter="12", tool="6"),), "makes cones up to 10"),
        ((step("spot", points="0, 20", diameter="2", tool="2"),), "another kind: spot drill or centre drill"),
        ((step("countersink", points="0, 20", diameter="2", tool="10"),), "is 3 wide already"),
        ((step("counterbore", points="0, 20", diameter="11", depth="5", tool="5"),), "mill it as a round pocket"),
        ((step("tap", points="0, 20", thread="M8", depth="8", tool="12"),), "the thread is M8"),
        ((step("tap", points="0, 20", thread="M8", depth="8", tool="3"),), "of another kind: tap"),
        ((step("round", points="0, 20", diameter="30", depth="5", entry="hole"),), "or is not there"),
        ((step("drill", points="0, 20", diameter="6.8", depth="5", slow_depth="9"),), "shorter slow start"),
        ((step("text", text="G0 X1.\nM30"),), "would end the program"),
        ((step("text", text="G0 Xé"),), "no control reads"),
        ((step("outside", length="400", width="300", depth="5"),), "as large as the block"),
    ],
)  # fmt: skip
def test_what_can_not_be_cut_is_told_with_the_remedy(steps: tuple[Step, ...], says: str) -> None:
    assert any(says in t for t in told(planned(*steps))), told(planned(*steps))


# recipes


@pytest.mark.parametrize(
    ("values", "parts"),
    [
        ({"hole": "thread", "thread": "M8", "depth": "8"}, ["spot", "drill", "tap"]),
        (
            {"hole": "thread", "thread": "M8", "depth": "8", "bevel": "countersink"},
            ["spot", "drill", "countersink", "tap"],
        ),
        ({"hole": "thread", "thread": "M8", "depth": "8", "spot": "no", "bevel": "no"}, ["drill", "tap"]),
        ({"hole": "fit", "diameter": "8", "depth": "12"}, ["spot", "drill", "ream"]),
        ({"hole": "screw", "screw": "M8", "depth_to": "through"}, ["spot", "drill", "round"]),
    ],
)
def test_a_recipe_writes_the_steps_a_person_would(values: dict[str, str], parts: list[str]) -> None:
    one = planned(step("recipe", points="0, 20; 20, 20", **values))
    assert one.answers.complete, told(one)
    assert [p.cycle.id for p in one.parts] == parts
    assert all(len(p.removals) == 2 for p in one.parts)
    singles = tuple(Step(id=f"x{i}", cycle=p.cycle.id, values=p.step.values) for i, p in enumerate(one.parts))
    again = plan(job(*singles))
    assert [s.removals for s in again.steps] == [p.removals for p in one.parts]


def test_a_recipe_says_what_it_lacks() -> None:
    lacking = planned(step("recipe", points="0, 20", hole="thread", thread="M24", depth="8"))
    assert "tool_last" in lacking.answers.missing
    no_spot = planned(step("recipe", points="0, 20", hole="thread", thread="M8", depth="8", spot="no", bevel="spot"))
    assert any("needs a countersink" in t for t in told(no_spot))
    shallow = planned(step("recipe", points="0, 20", hole="thread", thread="M8", depth="60"))
    assert not shallow.answers.complete


@given(st.floats(-900, 900).map(lambda v: round(v, 4)), st.sampled_from(("mm", "inch")))
def test_values_are_typed_so_that_they_come_back(value: float, units: str) -> None:
    one = Field("k", "K", "Size", Kind.LENGTH, "?")
    assert parse(one, typed_text(one, value, units), None, units) == pytest.approx(value, abs=1e-5)  # type: ignore[arg-type]
    points = Field("p", "P", "Size", Kind.POINTS, "?")
    back = parse(points, typed_text(points, ((value, 1.0), (2.0, value)), units), None, units)  # type: ignore[arg-type]
    assert math.dist(back[0], (value, 1.0)) < 1e-5


def test_every_cycle_is_found_by_its_name() -> None:
    assert len(cycles()) >= 14
    for one in cycles().values():
        assert one.summary
        assert one.words


def test_a_recipe_has_a_title_while_its_screw_is_unknown() -> None:
    made = planned(step("recipe", hole="screw", screw="M999", pattern="points", points="0, 0"))
    assert not made.answers.complete
    assert made.title == "1 × holes"


def test_a_bore_that_ends_at_the_underside_asks_for_its_hole_too() -> None:
    """Just there the block ends, and below it everything is open."""
    thick = STOCK["size_z"]
    made = planned(step("bore", pattern="points", points="20, 20", diameter="20", depth=thick, top="0", tool="9"))
    assert "no-hole" in {p.finding for p in made.answers.problems}
