"""Letters of one stroke, and the step that cuts them."""

from __future__ import annotations

import math

import pytest

from bastler.core.engine import Engine
from bastler.core.geometry.path import Arc, Path
from bastler.core.geometry.strokes import lettering, unknown, written
from bastler.core.job.document import Job, Step, ToolRecord
from bastler.core.moves import Feed, Rapid, Turn
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.jobs import FACE, TOOLS, plate

POINT = ToolRecord(number=21, kind="chamfer-mill", name="engraver 60", values={"diameter": "6", "flute_length": "8", "stick_out": "30", "point_angle": "60"})  # fmt: skip
PLACE = {"start_x": "60", "start_y": "50", "tool": "21", "top": "0"}


def engraved(**values: str) -> Job:
    return plate(FACE, Step(id="e", cycle="engrave", values={**PLACE, **values}), tools=(*TOOLS, POINT))


@pytest.mark.parametrize("sign", sorted(lettering().glyphs))
def test_every_letter_is_whole(sign: str) -> None:
    """Strokes go on without a break, arcs lie on their circles, and nothing goes far off the line of capitals."""
    glyph = lettering().glyphs[sign]
    for stroke in glyph.strokes:
        here = stroke.start
        assert stroke.elements
        for e in stroke.elements:
            if isinstance(e, Arc):
                assert math.dist(here, e.centre) == pytest.approx(math.dist(e.end, e.centre), abs=1e-9)
            here = e.end
            assert -0.1 <= here[0] <= glyph.width + 0.1
            assert -1.2 <= here[1] <= 7.4


def test_capitals_are_as_high_as_was_said_and_lie_side_by_side() -> None:
    letters, long = written("HI", 12.0)
    assert max(p.end[1] for one in letters for p in one.strokes) == 12.0
    assert [one.at for one in letters] == pytest.approx([4.0, 12.0 - 0.4])
    assert long == pytest.approx((4 + 1.6 + 0.4) * 2)
    assert written("hi", 12.0)[0] == letters
    assert unknown("Hallo ß, §1 §") == "§"


def test_a_sign_without_a_stroke_is_named() -> None:
    step = plan(engraved(text="A§B", height="5")).steps[1]
    assert [p.field for p in step.answers.problems if p.blocks] == ["text"]
    assert "“§”" in step.answers.problems[0].text


def test_each_stroke_is_cut_at_its_depth_and_nothing_between() -> None:
    job = engraved(text="HT", height="6")
    moves = plan(job).steps[1].moves
    assert {m.z for m in moves if isinstance(m, Feed) and m.z is not None} == {-0.3}
    assert sum(isinstance(m, Rapid) and m.x is not None for m in moves) == 5
    assert [f for f in Engine().check(Request(job)).findings if f.severity != "note"] == []


def test_round_letters_are_cut_at_the_feed_of_straight_ones() -> None:
    """The line is a few tenths wide, however thick the tool is above it."""
    moves = plan(engraved(text="COS", height="6")).steps[1].moves
    feeds = {m.feed for m in moves if isinstance(m, Feed | Turn) and m.x is not None}
    assert any(isinstance(m, Turn) for m in moves)
    assert len(feeds) == 1


def test_marks_of_a_scale_have_three_lengths() -> None:
    step = plan(engraved(what="scale", count="21", step="2", length="3")).steps[1]
    assert step.title == "21 marks"
    longs = [_long(r.path) for r in step.removals if hasattr(r, "path")]
    assert longs[:6] == pytest.approx([6, 3, 3, 3, 3, 4.5])
    assert longs[10] == pytest.approx(6)


def test_mirrored_it_reads_from_behind() -> None:
    there, back = (
        [r.path for r in plan(engraved(text="7", height="6", mirrored=m)).steps[1].removals if hasattr(r, "path")]
        for m in ("no", "yes")
    )
    assert [120 - p.end[0] for p in there] == pytest.approx([p.end[0] for p in back])
    assert [p.end[1] for p in there] == pytest.approx([p.end[1] for p in back])


@pytest.mark.parametrize("feet", ["in", "out"])
@pytest.mark.parametrize("mirrored", ["no", "yes"])
def test_along_an_arc_letters_stand_on_it_and_are_read_one_after_the_other(feet: str, mirrored: str) -> None:
    """Strokes of I lie on radial lines from its foot on the arc to its head, 6 farther out, or in."""
    arc = {"line": "arc", "centre_x": "100", "centre_y": "60", "arc_radius": "30", "from_angle": "90", "feet": feet}
    values = {k: t for k, t in PLACE.items() if not k.startswith("start")}
    job = plate(FACE, Step(id="e", cycle="engrave", values={**values, **arc, "text": "III", "height": "6", "mirrored": mirrored}), tools=(*TOOLS, POINT))  # fmt: skip
    step = plan(job).steps[1]
    assert step.answers.complete
    ends = [sorted(math.dist(e, (100, 60)) for e in (r.path.start, r.path.end)) for r in step.removals]
    assert [r for pair in ends for r in pair] == pytest.approx(([30, 36] if feet == "in" else [24, 30]) * 3, abs=2e-3)
    turns = [math.degrees(math.atan2(r.path.end[1] - 60, r.path.end[0] - 100)) for r in step.removals]
    clockwise = (feet == "in") != (mirrored == "yes")
    assert turns == sorted(turns, reverse=clockwise)
    assert [f for f in Engine().check(Request(job)).findings if f.severity != "note"] == []


def _long(path: Path) -> float:
    return math.dist(path.start, path.end)
