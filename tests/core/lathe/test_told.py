"""What a person reads of places, sizes and tools that can't be: the cause, the number, and what to do."""

from __future__ import annotations

import pytest

from bastler.core.job.document import Step
from bastler.core.planner import plan
from tests.turned import lathe_job

BORE = {"where": "inside", "shape": "cylinder", "length": "20", "tool": "5"}
GROOVE = {"where": "outside", "tool": "7", "width": "4", "surface": "50", "bottom": "44", "corner": "0.2"}


@pytest.mark.parametrize(
    ("cycle", "tube", "values", "field", "words"),
    [
        ("turn", False, {"shape": "cylinder", "diameter": "40", "length": "95", "tool": "1"}, "tool", ("can't reach", "from Z -88.5 on,", "stand out further")),
        ("end_face", False, {"face_z": "-95", "tool": "1"}, "tool", ("from Z -88.5 on,", "in the way")),
        ("groove", False, {**GROOVE, "middle_z": "-87"}, "tool", ("no metal here", "from Z -88.5 on,")),
        ("groove", False, {**GROOVE, "middle_z": "20"}, "tool", ("no metal here", "Check where the groove is")),
        ("turn", True, {**BORE, "diameter": "50"}, "diameter", ("Ø50, is as wide as the stock",)),
        ("turn", True, {**BORE, "diameter": "30", "length": "88"}, "tool", ("stands out 40, and goes 89.5 deep",)),
        ("turn", False, {**BORE, "diameter": "30"}, "tool", ("fits into bores from 12.5; here is 0",)),
        ("turn", False, {"shape": "cylinder", "diameter": "30", "length": "29", "tool": "3", "work": "finish"}, "tool", ("finds no way here", "Rough it before")),
        ("part_off", False, {"back_z": "-30", "tool": "10", "chamfer": "30"}, "chamfer", ("wider than the metal there, 25",)),
    ],
)  # fmt: skip
def test_the_cause_is_named(cycle: str, tube: bool, values: dict[str, str], field: str, words: tuple[str, ...]) -> None:
    step = plan(lathe_job(Step(id="a", cycle=cycle, values=values), tube=tube)).steps[0]
    texts = [p.text for p in step.answers.problems if p.field == field]
    assert any(all(word in text for word in words) for text in texts), step.answers.problems


@pytest.mark.parametrize(("drill", "word"), [("13", "10, too narrow"), ("17", ""), ("14", "22, too wide")])
def test_a_tap_wants_the_hole_of_its_thread(drill: str, word: str) -> None:
    hole = Step(id="drill", cycle="axis_hole", values={"start_z": "1.5", "depth": "45", "tool": drill})
    tap = Step(id="tap", cycle="axis_hole", values={"start_z": "1.5", "depth": "20", "tool": "16"})
    found = [p for p in plan(lathe_job(hole, tap)).steps[1].answers.problems if p.finding == "thread-hole"]
    assert [word in p.text and "drill 10.2" in p.text for p in found] == ([True] if word else [])
