"""Whole jobs from an empty window, by keys and clicks alone, judged by the saved job and by the program that it posts.

The keys are counted against what a drawing's numbers take: their characters, two a number, and ten a step.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
from collections.abc import Callable, Mapping
from pathlib import Path

from bastler.core.jobfiles.store import dump, load
from bastler.core.planner import plan
from bastler.core.plans.plan import Plan
from tests.hands.conftest import Hands

NUMBER = re.compile(r"[-\d.,/]+")


def bar(numbers: str, steps: int) -> int:
    """The most keys for the numbers of a drawing (as typed, blanks between) and so many steps."""
    found = NUMBER.findall(numbers)
    return sum(map(len, found)) + 2 * len(found) + 10 * steps


def within(keys: int, most: int, what: str) -> None:
    """Keys and clicks against their bar; both are printed (``pytest -s``)."""
    print(f"{what}: {keys} keys and clicks, at most {most}")
    assert keys <= most


def posted(path: Path) -> tuple[Plan, str]:
    """The plan of a saved job, and the program that the command line posts."""
    return plan(load(path)), program_of(path, os.environ)


def program_of(path: Path, env: Mapping[str, str]) -> str:
    """A job's program."""
    out = path.with_suffix(".nc")
    words = [sys.executable, "-m", "bastler", "post", str(path), "-o", str(out)]
    done = subprocess.run(words, env=env, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return out.read_text()


def lowest(program: str) -> float:
    """The deepest Z of a program."""
    return min(float(z) for z in re.findall(r"Z(-?\d+\.?\d*)", program))


def test_a_plate(hands: Callable[..., Hands]) -> None:
    h = hands()
    h.until(lambda s: s["station"] == "Setup")
    h.answer("200", "120", "20", "2", "2", "2")
    h.key("ctrl+2")
    h.add("face")
    h.add("pocket")
    h.pause()
    h.answer("48", "120/2", "60", "40", "6", "12")
    h.focused("Word for the new step")
    h.answer("pocket")
    h.focused("Centre X")
    h.answer("152", "60", "60")
    h.pause()
    h.answer("40", "6", "12")
    h.focused("Word for the new step")
    h.answer("drill")
    h.focused("Points")
    h.answer("12 12; 188 12; 188 108; 12 108", "8.5")
    h.pause()
    h.answer("24")
    h.focused("Word for the new step")
    h.until(lambda s: s["checked"] and not s["findings"])
    numbers = "200 120 20 2 2 2 48 120/2 60 40 6 12 152 60 60 40 6 12 12 12 188 12 188 108 12 108 8.5 24"
    within(h.count, bar(numbers, 4), "plate")
    planned, program = posted(h.save("plate.bastler"))
    assert [s.cycle.id for s in planned.cut] == ["face", "pocket", "pocket", "drill"]
    assert planned.steps[1].answers.values.length == 60
    assert planned.steps[3].answers.values.points[2] == (188, 108)
    assert lowest(program) < -24
    assert "X188. Y108." in program


def test_a_spindle_with_its_contour(hands: Callable[..., Hands]) -> None:
    """Machine, round bar, a faced end, a stepped contour with shoulders, bevels and a radius, thread, groove, part off; every Z is negative."""
    h = hands()
    h.until(lambda s: s["station"] == "Setup")
    h.click("Machine", "QComboBox")
    h.type("small lathe")
    h.key("Return")
    h.until(lambda s: "diameter" in s["question"].lower())
    h.pause()
    h.click("Diameter", "QLineEdit")
    h.answer("40")
    h.pause()
    h.answer("95")
    h.key("ctrl+2")
    h.add("face")
    before = h.count
    h.add("turn")
    h.click("Shape", "QComboBox")
    h.key("End", "Return")
    h.click("Draw a contour")
    h.focused("Start X")
    h.answer("22", "0")
    h.focused("Type a line or arc")
    h.answer("x24 z-1", "z-40", "x20 z-42")
    h.pause()
    h.answer("z-46", "x28", "z-58")
    h.key("r")
    h.focused("Radius")
    h.type("5")
    h.pause()
    h.key("Return")
    h.focused("End X Ø")
    h.answer("38")
    h.focused("End Z")
    h.type("-")
    h.pause()
    assert h.focus["text"] == "-"
    assert "can't be read" not in h.state["missing"]
    h.type("6")
    h.pause()
    h.answer("3")
    h.pause()
    h.key("Return")
    h.click("Type a line or arc")
    h.answer("z-76")
    h.until(lambda s: "Complete" in s["missing"] or "contours have" in s["missing"])
    if "contours have" in h.state["missing"]:
        h.key("Return")
        h.until(lambda s: "Complete" in s["missing"])
    h.key("Return")
    h.until(lambda s: "outside" in s["question"])
    contour = "22 0 24 -1 -40 20 -42 -46 28 -58 5 38 -63 -76"
    within(h.count - before, bar(contour, 1), "stepped shaft's contour")
    h.add("thread")
    h.focused("Ends at Z")
    h.answer("-39,5")
    h.focused("Outer diameter")
    h.answer("24", "2")
    h.focused("Word for the new step")
    h.answer("groove")
    h.focused("Middle at Z")
    h.answer("-67", "3.2")
    h.pause()
    h.answer("33")
    h.focused("Word for the new step")
    h.answer("part")
    h.focused("Back of the part")
    h.answer("-76")
    h.until(lambda s: s["checked"])
    within(h.count, bar(f"40 95 {contour} -39,5 24 2 -67 3.2 33 -76", 5), "spindle")
    planned, program = posted(h.save("spindle.bastler"))
    assert planned.setup.values == {"diameter": "40", "out": "95"}
    facts = [e.facts for e in planned.job.contours[0].elements]
    assert facts[6] == {"radius": "5", "x": "38", "z": "-63"}
    assert [s.cycle.id for s in planned.cut] == ["end_face", "turn", "turn_thread", "groove", "part_off"]
    assert lowest(program) <= -75.5


def test_a_contour_with_tangents(hands: Callable[..., Hands]) -> None:
    """A milled slot with round ends, whose joints no drawing gives."""
    h = hands()
    h.until(lambda s: s["station"] == "Setup")
    h.answer("100", "60", "20")
    h.key("ctrl+2")
    h.add("contour pocket")
    h.click("Draw a contour")
    h.focused("Start X")
    h.answer("30", "20")
    h.key("Return", "Return")
    h.focused("Type a line or arc")
    h.key("l")
    h.focused("End X")
    h.type("7")
    h.pause()
    h.answer("0")
    h.focused("End Y")
    h.answer("20")
    h.focused("Type a line or arc")
    h.answer("t ccw10 y40")
    h.pause()
    h.answer("t x30 y40", "t ccw10")
    h.until(lambda s: "Complete" in s["missing"])
    h.key("Return")
    h.until(lambda s: "deep" in s["question"].lower())
    h.answer("5")
    h.until(lambda s: s["checked"] and not s["findings"])
    planned, program = posted(h.save("slot.bastler"))
    contour = next(iter(planned.contours.values()))
    assert contour.path is not None
    assert abs(contour.path.length - (80 + 62.8319)) < 1e-3
    assert lowest(program) == -5


def test_a_pattern_is_shared_and_a_tool_added(hands: Callable[..., Hands]) -> None:
    h = hands()
    h.until(lambda s: s["station"] == "Setup")
    h.answer("100", "60", "20")
    h.click("Tools")
    h.click("Add a tool")
    h.until(lambda s: s["menu"])
    h.click("Drill")
    h.focused("Diameter")
    h.type("7,")
    h.pause()
    h.answer("1")
    h.pause()
    h.answer("60")
    h.key("ctrl+2")
    h.add("spot")
    h.answer("20,5 20; 80 40", "8")
    h.focused("Word for the new step")
    h.key("ctrl+shift+p")
    h.until(lambda s: "can be used by other steps" in s["status"])
    h.add("drill")
    h.key("shift+Tab")
    h.focused("Pattern")
    h.key("End", "Return")
    h.focused("Diameter")
    h.answer("7.1", "15")
    h.until(lambda s: s["checked"])
    planned, program = posted(h.save("holes.bastler"))
    added = planned.job.tools[-1]
    assert added.values["diameter"] == "7,1"
    assert planned.tools[added.number].diameter == 7.1
    assert planned.steps[1].answers.values.pattern.name == planned.job.patterns[0].name
    assert planned.steps[1].tool == planned.tools[added.number]
    assert "X20.5 Y20." in program


def test_an_own_copy_of_a_machine(hands: Callable[..., Hands]) -> None:
    h = hands("examples/pressure-plate.bastler")
    h.until(lambda s: s["station"] == "Steps" and s["checked"])
    h.key("ctrl+shift+5")
    h.click("Make my own copy")
    h.focused("Name of the machine")
    h.type("Our mill")
    h.tab_to("Fastest spindle")
    h.type("3")
    h.pause()
    h.answer("000")
    h.key("ctrl+2")
    h.until(lambda s: s["checked"])
    program = program_of(h.save("own.bastler"), h.env)
    machine = next((h.folder / "data").rglob("*.toml")).read_text()
    assert '"Our mill"' in machine
    assert "3000" in machine
    assert max(int(s) for s in re.findall(r"S(\d+)", program)) <= 3000


def test_an_edit_by_hand_in_code(hands: Callable[..., Hands]) -> None:
    h = hands("examples/pressure-plate.bastler")
    h.until(lambda s: s["station"] == "Steps" and s["checked"])
    h.key("ctrl+4")
    h.focused("G-code")
    h.key("ctrl+f", "ctrl+Home", "End")
    h.type(" (by hand)")
    h.pause()
    h.key("Return")
    h.type("G0 Z-3")
    h.until(lambda s: (s["checked"] and "rapid-in-stock" in s["findings"]) or "Z" in s["status"])
    h.key("ctrl+z")
    h.key("Tab")
    assert h.focus["name"] != "G-code"
    h.key("ctrl+t")
    h.focused("Word for the new step")


def test_typing_ahead_of_the_window(hands: Callable[..., Hands]) -> None:
    """Every key goes where it would have gone had one waited."""
    h = hands()
    h.until(lambda s: s["station"] == "Setup")
    h.rush("100", "60", "20")
    h.key("ctrl+2")
    h.add("pocket")
    h.rush("50", "30", "40", "20", "4", "6")
    h.focused("Word for the new step")
    h.rush("contour p")
    h.focused("Contour")
    h.click("Draw a contour")
    h.focused("Start X")
    h.rush("10", "10", "", "", "l90", "10", "x90 y50 r8", "x10", "y10", "")
    h.until(lambda s: s["question"] and "deep" in s["question"])
    h.rush("3")
    h.until(lambda s: s["checked"])
    planned, _ = posted(h.save("ahead.bastler"))
    assert planned.setup.values == {"size_x": "100", "size_y": "60", "size_z": "20"}
    assert planned.steps[0].step.values == {
        "centre_x": "50", "centre_y": "30", "length": "40", "width": "20", "corner": "4", "depth": "6"
    }  # fmt: skip
    assert len(planned.job.contours[0].elements) == 4


def test_a_hub_with_driven_tools(hands: Callable[..., Hands], tmp_path: Path) -> None:
    """From a job that has its tools and nothing else: turned, bored, a recess and threads in the face, a keyway, seats and cross holes in the side, a scale round it, parted off."""
    whole = load(Path(__file__).parents[2] / "examples" / "handle-hub.bastler")
    empty = whole.changed(name="hub", setups=(whole.setups[0].changed(steps=(), values={}),))
    source = tmp_path / "bench"
    source.mkdir()
    (source / "tools.bastler").write_bytes(dump(empty))
    h = hands(str(source / "tools.bastler"))

    def side(angle: str, times: str = "") -> None:
        h.click("Works on", "QComboBox")
        h.type("round")
        h.key("Return")
        h.pause()
        h.click("At angle C", "QLineEdit")
        h.answer(angle)
        if times:
            h.click("Times round", "QLineEdit")
            h.answer(times)

    h.focused("Diameter")
    h.answer("60", "75", "55")
    h.key("ctrl+2")
    h.add("face")
    h.add("turn")
    h.answer("58", "55")
    h.focused("Word for the new step")
    h.answer("axis")
    h.focused("Depth")
    h.answer("60")
    h.add("turn")
    h.click("In a bore")
    h.click("Diameter", "QLineEdit")
    h.answer("20", "58")
    h.add("pocket")
    h.answer("0", "0", "24", "18", "3", "6")
    h.add("recipe")
    h.click("Pattern", "QComboBox")
    h.type("circle")
    h.key("Return")
    h.click("Centre X", "QLineEdit")
    h.answer("0", "0", "42", "5", "M5")
    h.focused("Depth")
    h.answer("10")
    h.add("slot")
    side("30")
    h.answer("-32")
    h.click("Width", "QLineEdit")
    h.answer("8")
    h.click("Between ends")
    h.click("Length", "QLineEdit")
    h.answer("24")
    h.click("Depth", "QLineEdit")
    h.answer("4")
    h.add("counterbore")
    side("90", "3")
    h.answer("-14 0", "16", "1.5")
    h.add("drill")
    side("90", "3")
    h.answer("-14 0", "8", "18")
    h.add("engrave")
    side("0", "24")
    h.click("Marks of a scale")
    h.click("Start X", "QLineEdit")
    h.answer("-1")
    h.click("Turned by", "QLineEdit")
    h.answer("90")
    h.click("Marks", "QLineEdit")
    h.answer("1")
    h.click("Length", "QLineEdit")
    h.answer("4")
    h.add("part")
    h.answer("-55")
    state = h.until(lambda s: s["checked"], "the check")
    assert [f for f in state["findings"] if "stop" in str(f)] == []
    planned, program = posted(h.save("hub.bastler"))
    assert [s.cycle.id for s in planned.cut] == [
        "end_face",
        "turn",
        "axis_hole",
        "turn",
        "pocket",
        "recipe",
        "slot",
        "counterbore",
        "drill",
        "engrave",
        "part_off",
    ]
    assert len(planned.steps[9].surfaces) == 24
    assert planned.steps[6].answers.values.width == 8
    assert "G12.1" in program
    assert len(planned.steps[8].surfaces) == 3
