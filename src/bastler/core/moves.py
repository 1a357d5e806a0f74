"""Machine-independent moves: what a plan is made of.

All coordinates are absolute program coordinates in mm (``None`` keeps an axis), feeds mm/min. On a lathe ``x`` is a
radius and feeds are mm per turn.
"""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from bastler.core.geometry.path import Arc, Path, Point


class Rapid(Struct, frozen=True):
    """As fast as the axes go; only through air."""

    x: float | None = None
    y: float | None = None
    z: float | None = None


class Retract(Struct, frozen=True):
    """Up to the machine's top."""


class Feed(Struct, frozen=True):
    """A straight cut."""

    x: float | None
    y: float | None
    z: float | None
    feed: float


class Turn(Struct, frozen=True):
    """An arc in XY, with ``z`` a helix; start = end in XY is a full circle. ``centred``: the feed is the centre's, by how much of the tool is in metal there."""

    x: float
    y: float
    centre: Point
    ccw: bool
    feed: float
    z: float | None = None
    centred: bool = False


class Compensate(Struct, frozen=True):
    """Cutter compensation by the control, taken up or dropped on the next straight feed."""

    side: Literal["left", "right"] | None


class Dwell(Struct, frozen=True):
    """The tool stays where it is."""

    seconds: float


class TurnSpindle(Struct, frozen=True):
    """The spindle turns right or left, or stops; ``orient`` stops it at its marked angle."""

    turn: Literal["right", "left", "stop", "orient"]


class Pause(Struct, frozen=True):
    """The program waits for the person (``optional``: only if the control's switch says so), with a message."""

    text: str
    optional: bool = False


class Note(Struct, frozen=True):
    """A comment in the program."""

    text: str


class OwnText(Struct, frozen=True):
    """Lines of G-code that the person wrote."""

    lines: tuple[str, ...]


class Pecks(Struct, frozen=True):
    """How a deep hole is drilled: ``first`` depth, then ``next``, each one ``less`` than before, never under ``smallest``."""

    retract: bool
    first: float
    next: float = 0.0
    less: float = 0.0
    smallest: float = 0.0

    @property
    def even(self) -> bool:
        """Whether all pecks are alike, as canned cycles want them."""
        return self.less <= 0 and abs((self.next or self.first) - self.first) < 1e-6

    def depths(self, top: float, bottom: float) -> list[float]:
        """Z after each peck, the last one ``bottom``."""
        result, z, peck = [], top, self.first
        least = max(min(self.smallest, self.first), 1e-3)
        while z - peck > bottom + 1e-9:
            z -= peck
            result.append(z)
            peck = max(self.next if self.next and len(result) == 1 else peck - self.less, least)
        return [*result, bottom]


class Holes(Struct, frozen=True, kw_only=True):
    """Holes at ``points`` from ``start`` (just above the metal) to ``bottom`` (the tip), both Z.

    ``back`` is the Z between holes: ``start``, or higher where something stands in the way.
    """

    points: tuple[Point, ...]
    start: float
    bottom: float
    feed: float
    back: float
    dwell_s: float = 0.0


class Drill(Holes, frozen=True, kw_only=True):
    """Drilled, out at rapid. The first ``slow_depth`` mm are fed at ``slow_feed``."""

    pecks: Pecks | None = None
    slow_depth: float = 0.0
    slow_feed: float = 0.0


class Bore(Holes, frozen=True, kw_only=True):
    """Bored or reamed: out by ``feed``, at rapid with the spindle ``stop``ped, or ``shift``ed off the wall by
    ``shift`` mm along +X with the spindle oriented."""

    leave: Literal["feed", "stop", "shift"]
    shift: float = 0.0


class Tap(Holes, frozen=True, kw_only=True):
    """Tapped with ``pitch`` at ``speed``; ``rigid``: spindle and feed in step, else in a floating holder."""

    pitch: float
    speed: float
    left: bool = False
    rigid: bool = True


class Curve(Struct, frozen=True):
    """An arc in the plane of a lathe, ``x`` and the second of ``centre`` (z, x) as radii; ``ccw`` from +Z towards +X."""

    x: float
    z: float
    centre: Point
    ccw: bool
    feed: float


class ThreadCut(Struct, frozen=True):
    """A straight cut in step with the spindle; ``pitch`` mm per turn along the longer axis; ``start`` degrees of the spindle."""

    x: float | None
    z: float | None
    pitch: float
    start: float = 0.0


class TapCycle(Struct, frozen=True):
    """The control's own tapping on a lathe's axis, down to ``z`` and back to where it began; ``pitch`` mm per turn, ``speed`` rev/min."""

    z: float
    pitch: float
    speed: float


class CuttingSpeed(Struct, frozen=True):
    """Constant cutting speed in m/min, at most ``limit`` rev/min; 0 m/min: ``limit`` rev/min whatever the diameter."""

    speed: float
    limit: float


class Catcher(Struct, frozen=True):
    """The part catcher comes out, or goes back."""

    out: bool


class Slide(Struct, frozen=True):
    """A straight way along Z at ``rate`` mm/min, though the spindle stands."""

    z: float
    rate: float


class MoveChuck(Struct, frozen=True):
    """The chuck opens, or closes."""

    open: bool


class Edge(Struct, frozen=True):
    """Which edge of a blade is steered from here on: its first one, or the ``second`` with an offset of its own."""

    second: bool


class TurnCycle(Struct, frozen=True):
    """Roughing down to a profile and finishing along it by the control's own cycle, from where the tool is and back to there.

    ``profile``: a rapid to its start, then cuts, radii; ``across``: passes towards the axis. ``depth``, ``escape`` and ``leave`` (along z and r)
    mm, radii, ``leave`` with its sign.
    """

    across: bool
    profile: tuple[Rapid | Feed | Curve, ...]
    depth: float
    escape: float
    leave: Point
    feed: float


class ThreadCycle(Struct, frozen=True):
    """All passes of a thread by the control's own cycle, from where the tool is and back to there.

    ``x``, ``z``: its end at the roots, radius; ``height``, ``first`` and ``least`` depth on the radius; ``angle`` between the flanks, 0 straight in.
    ``run_out``: over so many mm before its end it runs out of the metal at 45°.
    """

    x: float
    z: float
    height: float
    first: float
    least: float
    repeats: int
    angle: float
    taper: float
    pitch: float
    run_out: float = 0.0


class Either(Struct, frozen=True):
    """The same cut by a cycle of the control, or move by move for a control that has none."""

    short: tuple[Move, ...]
    long: tuple[Move, ...]


Move = (
    Rapid
    | Retract
    | Feed
    | Turn
    | Compensate
    | Dwell
    | TurnSpindle
    | Pause
    | Note
    | OwnText
    | Drill
    | Bore
    | Tap
    | Curve
    | ThreadCut
    | TapCycle
    | CuttingSpeed
    | Catcher
    | MoveChuck
    | Slide
    | Edge
    | TurnCycle
    | ThreadCycle
    | Either
)


def follow(path: Path, feed: float, z: float | None = None) -> list[Move]:
    """The moves along a path from its start; ``z`` is taken on the first element."""
    moves: list[Move] = []
    for e in path.elements:
        if isinstance(e, Arc):
            moves.append(Turn(*e.end, e.centre, e.ccw, feed, z))
        else:
            moves.append(Feed(*e.end, z, feed))
        z = None
    return moves
