"""Several pieces from one bar: fed to a stop, each checked with the bar as it then is."""

from __future__ import annotations

import re

import shapely

from bastler.core.benches import post
from bastler.core.checked import Checked
from bastler.core.engine import Engine
from bastler.core.gcode.motion import BAR
from bastler.core.job.document import Job, Step
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.request import Request
from tests.turned import lathe_job

FACE = Step(id="face", cycle="end_face", values={"face_z": "0", "tool": "1"})
TURN = Step(id="turn", cycle="turn", values={"shape": "cylinder", "diameter": "40", "length": "20", "tool": "1"})
OFF = Step(id="off", cycle="part_off", values={"back_z": "-25", "tool": "10"})
FEED = Step(id="feed", cycle="bar_feed", values={})
PIECE = (FACE, TURN, OFF, FEED)


def pieces(count: int, *steps: Step, **setup: str) -> Job:
    return lathe_job(*(steps or PIECE), pieces=str(count), **setup)


def checked(job: Job, text: str = "", dialect: str = "iso-lathe-a") -> Checked:
    return Engine().check(Request(job, text=text.encode() or None, name="bar", dialect=dialect))


def posted(job: Job, dialect: str = "iso-lathe-a") -> str:
    return post(plan(job), dialects()[dialect]).text


def test_every_piece_meets_the_bar_where_it_is() -> None:
    for dialect in ("iso-lathe-a", "iso-lathe-b"):
        found = checked(pieces(3), dialect=dialect)
        assert [f.text for f in found.findings] == []
        assert int((found.motion.kind == BAR).sum()) == 3
        facing = [
            z for (x, _, z), k in zip(found.motion.end, found.motion.kind, strict=True) if k == 1 and abs(x) < 0.9
        ]
        assert len(facing) >= 6, "each piece is faced and parted off"
    third = 2 * len(found.motion) // 3
    assert found.removed[third:].sum() > 0.3 * found.removed.sum() / 3


def test_the_piece_is_judged_as_it_falls() -> None:
    found = checked(pieces(2))
    whole = shapely.union(found.section.stock, found.section.fallen)
    assert shapely.symmetric_difference(whole, found.section.target).area < 0.05


def test_the_loop_calls_one_piece_so_often() -> None:
    text = posted(pieces(5))
    assert "M98 P2 L5" in text
    assert text.count("M30") == 1
    assert text.rstrip().endswith("M99\n%")
    assert "M98" not in posted(pieces(1))


def test_cycles_of_blocks_are_found_in_each_piece() -> None:
    cycle = TURN.changed(values={**TURN.values, "written": "cycle"})
    assert [f.text for f in checked(pieces(3, FACE, cycle, OFF, FEED)).findings] == []


def test_a_bar_that_isn_t_parted_off_can_t_come() -> None:
    (problem,) = plan(pieces(1, FACE, TURN, FEED)).steps[-1].answers.problems
    assert problem.field == "stop_z"
    assert "Part off before" in problem.text


def test_pieces_without_a_bar_feed_are_told() -> None:
    (problem,) = plan(pieces(4, FACE, TURN, OFF)).setup_answers.problems
    assert problem.field == "pieces"
    assert "Bar feed" in problem.text


def test_behind_a_bar_feed_the_stock_is_new() -> None:
    again = FACE.changed(id="again", values={"face_z": "0", "tool": "1"})
    assert plan(pieces(1, *PIECE, again)).steps[-1].answers.complete


def test_a_chuck_that_opens_too_early_or_late_is_told() -> None:
    text = posted(pieces(1))
    spinning = text.replace("M5\nN", "N", 1) if "M5\nN" in text else text
    for wrong, told in (
        (
            "\n".join(line for line in spinning.splitlines() if not line.endswith(" M5")) + "\n",
            "opens while the spindle turns",
        ),
        (text.replace(" M10\n", " M3 S100\n"), "starts while the chuck is open"),
    ):
        assert any(told in f.text for f in checked(pieces(1), wrong).findings)


def test_a_bar_that_stands_at_its_stop_already_is_told() -> None:
    text = posted(pieces(1, FACE, OFF, FEED))
    found = checked(pieces(1, FACE, OFF, FEED), text[: text.index("(1 Face")] + text[text.index("(3 Bar feed") :])
    assert any(f.kind == "bar-feed" for f in found.findings)


def test_a_line_of_a_loop_is_shown_as_it_runs_first() -> None:
    found = checked(pieces(3))
    motion, lines = found.motion, found.program.text.splitlines()
    line = next(i + 1 for i, text in enumerate(lines) if re.search(r"X-0\.4 F0\.0\d+$", text))
    moves, last = motion.of_line(line)
    assert moves
    assert set(motion.line[list(moves)].tolist()) == {line}
    assert last == moves[-1] < len(motion) / 3
    nothing, before = motion.of_line(lines.index("O0002 (one piece)") + 1)
    assert nothing == ()
    assert motion.line[before] <= lines.index("O0002 (one piece)")


PULL = Step(id="feed", cycle="bar_feed", values={"comes": "pull"})
PULLED = (FACE, TURN, OFF, PULL)


def test_a_puller_brings_the_bar_for_each_piece() -> None:
    for dialect in ("iso-lathe-a", "iso-lathe-b"):
        found = checked(pieces(3, *PULLED), dialect=dialect)
        assert [f.text for f in found.findings] == []
        pulls = found.motion.feed[found.motion.kind == BAR]
        # Parted off at −25 with a blade 3 wide, the bar comes to 1.5 in front of zero.
        assert pulls.tolist() == [29.5] * 3


def test_the_puller_moves_by_minutes_while_the_chuck_is_open() -> None:
    lines = posted(pieces(1, *PULLED)).splitlines()
    opened = next(i for i, line in enumerate(lines) if line.endswith(" M11"))
    closed = next(i for i, line in enumerate(lines) if line.endswith(" M10"))
    between = [line.split(" ", 1)[1] for line in lines[opened + 1 : closed]]
    assert between[-3:] == ["G98", "G1 Z-8.1 F1000", "G99"]


def test_a_puller_that_is_not_over_the_bar_pulls_nothing() -> None:
    text = posted(pieces(1, *PULLED)).replace("G1 Z-37.6 F1000", "G1 Z-27.6 F1000")
    (finding,) = [f for f in checked(pieces(1, *PULLED), text).findings if f.kind == "bar-feed"]
    assert "its fingers aren't over the end of the bar" in finding.text


def test_a_puller_that_does_not_fit_is_told() -> None:
    for values, words in (
        ({"grip": "14"}, "Its fingers are 12 long"),
        ({"tool": "20"}, "can't grip the bar"),
        ({"comes": "stop", "tool": "24"}, "can't stop the bar"),
    ):
        step = PULL.changed(values={**PULL.values, **values})
        problem = plan(pieces(1, FACE, TURN, OFF, step)).steps[-1].answers.problems[0]
        assert words in problem.text
    thin = plan(pieces(1, FACE, OFF, PULL, diameter="18")).steps[-1].answers.problems[0]
    assert "grips bars from Ø20 to Ø51; here is Ø18" in thin.text
