"""Jobs that tests start from: the pressure plate of the demo world, and pieces of it."""

from __future__ import annotations

from bastler.core.job.document import Job, Setup, Step, ToolRecord

FACE_MILL = ToolRecord(
    number=1, kind="face-mill", name="face mill 50",
    values={"diameter": "50", "flutes": "5", "flute_length": "10", "shank_diameter": "22", "stick_out": "40"},
)  # fmt: skip
END_MILL = ToolRecord(
    number=2, kind="end-mill", name="end mill 10", values={"diameter": "10", "flute_length": "22", "stick_out": "30"}
)
DRILL_68 = ToolRecord(
    number=3, kind="drill", name="drill 6.8", values={"diameter": "6.8", "flute_length": "69", "stick_out": "75"}
)
DRILL_85 = ToolRecord(
    number=4, kind="drill", name="drill 8.5", values={"diameter": "8.5", "flute_length": "75", "stick_out": "80"}
)
BULL_MILL = ToolRecord(
    number=5, kind="end-mill", name="end mill 8 R1",
    values={"diameter": "8", "flute_length": "20", "stick_out": "30", "corner_radius": "1", "plunges": "yes"},
)  # fmt: skip
SMALL_MILL = ToolRecord(
    number=13, kind="end-mill", name="end mill 5", values={"diameter": "5", "flute_length": "13", "stick_out": "25"}
)
SPOT = ToolRecord(
    number=6,
    kind="spot-drill",
    name="spot drill 10",
    values={"diameter": "10", "flute_length": "20", "stick_out": "30"},
)
CENTRE = ToolRecord(
    number=7, kind="centre-drill", name="centre drill 2.5",
    values={"diameter": "6.3", "tip_diameter": "2.5", "pilot_length": "3.1", "flute_length": "8", "stick_out": "30"},
)  # fmt: skip
REAMER = ToolRecord(
    number=8, kind="reamer", name="reamer 8", values={"diameter": "8", "flute_length": "33", "stick_out": "60"}
)
BAR = ToolRecord(
    number=9,
    kind="boring-bar",
    name="boring bar 20",
    values={"diameter": "20", "smallest_bore": "18", "flute_length": "3", "stick_out": "50"},
)
SINK = ToolRecord(
    number=10,
    kind="countersink",
    name="countersink 16",
    values={"diameter": "16", "tip_diameter": "3", "flute_length": "8", "stick_out": "40"},
)
TAP_M8 = ToolRecord(
    number=11,
    kind="tap",
    name="tap M8",
    values={"thread": "M8", "lead_threads": "3", "flute_length": "30", "stick_out": "60"},
)
TAP_LEFT = ToolRecord(
    number=12,
    kind="tap",
    name="tap M10 left",
    values={"thread": "M10", "lead_threads": "2", "flute_length": "24", "stick_out": "60", "left_hand": "yes"},
)
THREAD_MILL = ToolRecord(
    number=14, kind="thread-mill", name="thread mill 1.25",
    values={"diameter": "7.5", "pitch": "1.25", "flute_length": "6.25", "shank_diameter": "5.5", "stick_out": "30"},
)  # fmt: skip
MORE_DRILLS = tuple(
    ToolRecord(
        number=20 + i, kind="drill", name=f"drill {d}", values={"diameter": d, "flute_length": "60", "stick_out": "70"}
    )
    for i, d in enumerate(("6.6", "7.8", "9", "8.75"))
)
CHAMFER = ToolRecord(
    number=15, kind="chamfer-mill", name="chamfer mill 12",
    values={"diameter": "12", "tip_diameter": "2", "flute_length": "10", "shank_diameter": "12", "stick_out": "30"},
)  # fmt: skip
HOLE_TOOLS = (*MORE_DRILLS, SPOT, CENTRE, REAMER, BAR, SINK, TAP_M8, TAP_LEFT, THREAD_MILL, CHAMFER)
TOOLS = (FACE_MILL, END_MILL, DRILL_68, DRILL_85)

STOCK = {"size_x": "200", "size_y": "120", "size_z": "20", "over_x": "2", "over_y": "2", "over_top": "2", "grip": "6"}

FACE = Step(id="face", cycle="face")
LEFT = Step(
    id="left", cycle="pocket", name="left",
    values={"centre_x": "48", "centre_y": "120/2", "length": "60", "width": "40", "corner": "6", "depth": "12"},
)  # fmt: skip
RIGHT = Step(id="right", cycle="pocket", name="right", values={**LEFT.values, "centre_x": "152"})
BOLTS = Step(
    id="bolts", cycle="drill", name="bolt circle",
    values={"pattern": "circle", "centre_x": "100", "centre_y": "60", "circle_diameter": "30", "count": "6",
            "start_angle": "90", "diameter": "6.8", "depth_to": "through"},
)  # fmt: skip
CORNERS = Step(
    id="corners", cycle="drill", name="corners",
    values={"points": "12, 12; 188, 12; 188, 108; 12, 108", "diameter": "8.5", "depth_to": "through"},
)  # fmt: skip


def plate(*steps: Step, tools: tuple[ToolRecord, ...] = TOOLS, gather: bool = False, **stock: str) -> Job:
    """The pressure plate with chosen steps (all of them if none is given)."""
    chosen = steps or (FACE, LEFT, RIGHT, BOLTS, CORNERS)
    setup = Setup(steps=chosen, values={**STOCK, **stock}, gather_by_tool=gather)
    return Job(name="Pressure plate", tools=tools, setups=(setup,))


def changed(step: Step, **values: str) -> Step:
    """A step with some answers typed anew."""
    result: Step = step.changed(values={**step.values, **values})
    return result
