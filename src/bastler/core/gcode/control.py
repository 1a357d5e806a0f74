"""What the control knows and remembers, and the tables of the codes it reads.

*Nose*: the spindle's reference; program Z plus the active length offset is where the nose goes.
*Tip*: nose minus the length of the tool really in the spindle.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

from bastler.core.findings import Finding
from bastler.core.gcode.canned import CANNED, Hole
from bastler.core.gcode.motion import Motion
from bastler.core.gcode.places import PLAIN, Frame, Place
from bastler.core.tooling.tools import Tool

MM_PER_INCH = 25.4
ARC_TOLERANCE_MM = 0.01
PITCH_TOLERANCE_SHARE = 0.005
MOST_OF_A_KIND = 40
SHORTEST_FAST_RUN = 4
AXES = "XYZ"

MODAL: Mapping[float, tuple[str, object]] = {
    17: ("plane", 0), 18: ("plane", 1), 19: ("plane", 2),
    20: ("scale", MM_PER_INCH), 21: ("scale", 1.0),
    90: ("absolute", True), 91: ("absolute", False),
    93: ("feed_mode", "inverse"), 94: ("feed_mode", "minute"), 95: ("feed_mode", "rev"),
    98: ("return_high", True), 99: ("return_high", False),
}  # fmt: skip
"""G codes that only set something."""
MOTIONS = (0, 1, 2, 3, *CANNED)
ACTIONS = (4, 10, 28, 40, 41, 42, 43, 49, 53, 80)
OFFSETS = (54, 55, 56, 57, 58, 59, 54.1)
FRAMES = (50.1, 51.1, 52, 68, 69)
QUIET = (61, 64)
"""Exact stop and continuous path: how corners are run, nothing that is checked."""
KNOWN_M = (0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 19, 29, 30)
KNOWN_LETTERS = "NGMXYZIJKRQPFSTHDOL"


class Control(Struct, frozen=True):
    """What the control knows besides the text: tools, offset in use, where machine zero is (mm).

    ``offsets``: where further work offsets lie from the setup's own one, by name (``G55``, ``G54.1 P3``).
    ``reading``: how a lathe reads its codes, empty on a mill.
    """

    tools: Mapping[int, Tool] = field(default_factory=dict)
    work_offset: str = "G54"
    offsets: Mapping[str, Place] = field(default_factory=dict)
    machine_origin: tuple[float, float, float] = (0.0, 0.0, 500.0)
    with_job: bool = True
    reading: str = ""


class Interpreted(Struct, frozen=True):
    """A program understood: its motion, findings (steps not yet filled in), line count, units."""

    motion: Motion
    findings: tuple[Finding, ...]
    lines: int
    units: str


class State(Struct):
    """The control's modal memory; positions are the nose in program coordinates, mm."""

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
    before_hole: float = 0.0
    ended: bool = False
    frame: Frame = PLAIN
