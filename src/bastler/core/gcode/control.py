"""What the control knows and remembers, and the tables of the codes it reads.

*Nose*: the spindle's reference; program Z plus the active length offset is where the nose goes.
*Tip*: nose minus the length of the tool really in the spindle.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

from bastler.core.findings import Finding
from bastler.core.gcode.canned import Hole
from bastler.core.gcode.motion import Motion
from bastler.core.gcode.places import PLAIN, Coordinates, Place
from bastler.core.quantities import MM_PER_INCH
from bastler.core.tooling.tools import Tool

ARC_TOLERANCE_MM = 0.01
SHORTEST_FAST_RUN = 4
AXES = "XYZ"

SETTINGS: Mapping[str, tuple[str, object]] = {
    "plane_xy": ("plane", 0), "plane_zx": ("plane", 1), "plane_yz": ("plane", 2),
    "inch": ("scale", MM_PER_INCH), "metric": ("scale", 1.0),
    "absolute": ("absolute", True), "incremental": ("absolute", False),
    "inverse_time": ("feed_mode", "inverse"), "per_minute": ("feed_mode", "minute"), "per_turn": ("feed_mode", "rev"),
    "return_high": ("return_high", True), "return_to_start": ("return_high", False),
}  # fmt: skip
"""Meanings that only set something of the control's memory."""
MOTION_OF = {"rapid": 0, "feed": 1, "clockwise": 2, "counter_clockwise": 3}
UNREAD = -1
"""The motion in force is one that can't be read: nothing moves until another one is given."""
QUIET = ("exact_stop", "continuous", "corner_slow", "polar_off", "scale_off", "macro_off", "gear")
"""How corners are run, and what switches off something that is told where it is switched on: nothing that is checked."""
SPINDLE = {
    "spindle_right": 1, "spindle_right_coolant": 1, "spindle_left": -1, "spindle_left_coolant": -1, "spindle_stop": 0,
    "spindle_orient": 0, "end": 0,
}  # fmt: skip
"""Which way the spindle turns after a word."""
COOLED = {
    "coolant": True, "mist": True, "coolant_air": True, "coolant_through": True, "spindle_right_coolant": True, "spindle_left_coolant": True,
    "coolant_off": False, "end": False,
}  # fmt: skip
"""Whether there is coolant after a word."""


class Control(Struct, frozen=True):
    """What the control knows besides the text: tools, offset in use, where machine zero is (mm).

    ``offsets``: where further work offsets lie from the setup's own one, by name (``G55``, ``G54.1 P3``).
    ``reading``: the table of its codes (:mod:`bastler.core.post.codes`). ``most_turns``:
    the speed limit of a lathe's setup, 0 if there is none. ``has_y``: a lathe's turret goes along Y; ``has_brake``: its axis C has one. ``bar_radius``: no metal of a lathe lies
    farther from the axis. ``c_zero``: where C 0 of the part lies, degrees from the spindle's own mark.
    """

    tools: Mapping[int, Tool] = field(default_factory=dict)
    work_offset: str = "G54"
    offsets: Mapping[str, Place] = field(default_factory=dict)
    machine_origin: tuple[float, float, float] = (0.0, 0.0, 500.0)
    with_job: bool = True
    reading: str = "mill"
    most_turns: float = 0.0
    has_y: bool = False
    has_brake: bool = False
    bar_radius: float = 0.0
    c_zero: float = 0.0


class Event(Struct, frozen=True):
    """An M word carried out: before which ``move`` (those that wait for the end of compensation come later), in which ``line`` of the text and ``block`` of the program as it
    runs, and ``what`` it means in the control's table (``pause``, ``coolant_off``, ``chuck_open`` …)."""

    move: int
    line: int
    block: int
    what: str


class Interpreted(Struct, frozen=True):
    """A program understood: its motion, findings (steps not yet filled in), line count, units; ``events`` in their order."""

    motion: Motion
    findings: tuple[Finding, ...]
    lines: int
    units: str
    events: tuple[Event, ...] = ()

    def cooled(self) -> list[tuple[int, bool]]:
        """From which move on there is coolant, or none any more."""
        return [(e.move, COOLED[e.what]) for e in self.events if e.what in COOLED]


class State(Struct):
    """The control's modal memory; positions are the nose in program coordinates, mm.

    ``hole_words``: what a canned cycle keeps from line to line. ``placed``: the program itself has said where the tool is.
    """

    motion: int = 0
    plane: int = 0
    scale: float = 1.0
    absolute: bool = True
    feed_mode: str = "minute"
    return_high: bool = True
    feed: float = 0.0
    speed: float = 0.0
    spindle: int = 0
    tool: int = 0
    called: int = 0
    length: float = 0.0
    length_number: int = 0
    nose: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0])
    comp: float = 0.0
    hole: Hole | None = None
    hole_words: dict[str, float] = field(default_factory=dict)
    before_hole: float = 0.0
    placed: bool = False
    ended: bool = False
    frame: Coordinates = PLAIN
