"""Machine profiles (``data/machines/*.toml``): travels, rates, spindle, dialect."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path
from typing import Annotated

from msgspec import Meta, Struct, convert

from bastler.core.data import DATA, Table, own_files, table

Axes = tuple[float, float, float]
Positive = Annotated[float, Meta(gt=0, lt=1e9)]
Counted = Annotated[float, Meta(ge=0, lt=1e9)]
Anywhere = Annotated[float, Meta(gt=-1e6, lt=1e6)]
"""A file may say anything; not a number is none of these."""
Curve = tuple[tuple[Counted, Counted, Counted], ...]
NEEDED: Mapping[str, tuple[frozenset[str], bool]] = {
    "mill": (frozenset("XYZ"), False),
    "lathe": (frozenset("XZ"), True),
}
"""By kind: the axes that it has at least, and whether it has a chuck and a turret."""


class Axis(Struct, frozen=True):
    """One axis: ``letter``; ``travel`` mm, or degrees of a ``rotary`` one; ``rapid`` a minute, ``acceleration`` a second². A lathe's C is its main spindle, its Y goes as far
    to both sides of it; ``beyond``: how far its X goes past the spindle's axis, mm, if that is known; ``brake``: its C can be held by one."""

    letter: str
    travel: Positive
    rapid: Positive
    acceleration: Positive
    rotary: bool = False
    beyond: Counted | None = None
    brake: bool = False


class Chuck(Struct, frozen=True):
    """What holds stock at a spindle, mm; ``largest``: the thickest that it turns, ``through``: the thickest bar that goes through."""

    diameter: Positive
    length: Positive
    largest: Positive
    through: Positive


class Spindle(Struct, frozen=True):
    """What turns. ``curve`` rows of rev/min, kW, Nm; ``encoder``: whether feeds and threads can follow its turns; ``by_hand``: its speed is
    set by a person, with belts or a knob; ``chuck``: if it holds the stock."""

    name: str
    lowest: Positive
    highest: Positive
    curve: Curve
    encoder: bool = True
    by_hand: bool = False
    chuck: Chuck | None = None

    def torque(self, speed: float) -> float:
        """Torque at a speed in Nm, between the rows of the curve along 1/n where power holds."""
        return _along(self.curve, speed, 2)

    def power(self, speed: float) -> float:
        """Power at a speed in kW."""
        return _along(self.curve, speed, 1)


class Turret(Struct, frozen=True):
    """What carries a lathe's tools, and the tailstock across from it. mm; tools are changed at ``change_x``, a diameter, and ``change_z`` from the part's zero. ``disc_width``: of its disc
    along Z, in whose middle tools sit that point to the axis; 0: nobody knows."""

    side: str
    carrier: str
    tailstock: bool
    change_x: Anywhere
    change_z: Anywhere
    disc_width: float = 0.0


class Machine(Struct, frozen=True):
    """A machine's profile; X of a lathe is counted as a radius here. ``spindles``: the first one is the main one.

    ``coolants``: the ways of cooling that it has. ``change_at``: X and Y from machine zero where tools are changed, where they are if ``None``;
    ``nose_to_table`` the gap under the spindle nose with Z at its upper end, mm.
    """

    id: str
    name: str
    kind: str
    units: str
    dialect: str
    axes: tuple[Axis, ...]
    spindles: tuple[Spindle, ...]
    feed_limit: Positive
    tool_change_s: Counted
    nose_to_table: Counted = 0.0
    pockets: Annotated[int, Meta(ge=1, le=1000)] = 1
    change_at: tuple[Anywhere, Anywhere] | None = None
    carries: Turret | None = None
    coolants: tuple[str, ...] = ("flood",)

    @property
    def spindle(self) -> Spindle:
        """The main spindle."""
        return self.spindles[0]

    @property
    def driven(self) -> Spindle | None:
        """The spindle that turns tools in a turret, on a machine whose main spindle is an axis besides."""
        turns = next((s for s in self.spindles[1:] if s.chuck is None), None)
        return turns if self.axis("C") is not None else None

    def axis(self, letter: str) -> Axis | None:
        """One of its axes, if it has it."""
        return next((a for a in self.axes if a.letter == letter), None)

    @property
    def chuck(self) -> Chuck:
        """What holds the stock; only a lathe's own code asks for it."""
        if self.spindle.chuck is None:
            raise TypeError(f"{self.name} has no chuck")
        return self.spindle.chuck

    @property
    def turret(self) -> Turret:
        """What carries the tools; only a lathe's own code asks for it."""
        if self.carries is None:
            raise TypeError(f"{self.name} has no turret")
        return self.carries

    @property
    def travel(self) -> Axes:
        """Of X, Y and Z, mm; 0 for an axis that it hasn't."""
        return self._of_axes("travel", 0.0)

    @property
    def rapid(self) -> Axes:
        """Of X, Y and Z, mm/min."""
        return self._of_axes("rapid", self.axes[0].rapid)

    @property
    def acceleration(self) -> Axes:
        """Of X, Y and Z, mm/s²."""
        return self._of_axes("acceleration", self.axes[0].acceleration)

    def _of_axes(self, what: str, otherwise: float) -> Axes:
        found = {a.letter: float(getattr(a, what)) for a in self.axes}
        x, y, z = (found.get(letter, otherwise) for letter in "XYZ")
        return (x, y, z)


def _along(curve: tuple[tuple[float, float, float], ...], speed: float, column: int) -> float:
    """A column of the spindle curve at a speed, straight between its rows, level beyond its ends."""
    if speed <= curve[0][0]:
        return curve[0][column]
    for low, high in zip(curve, curve[1:], strict=False):
        if speed <= high[0]:
            share = (speed - low[0]) / (high[0] - low[0])
            if column == 2 and low[1] == high[1]:
                return low[1] * 9549.3 / speed  # constant power: P = T n / 9549.3 (kW, Nm, 1/min)
            return low[column] + share * (high[column] - low[column])
    return curve[-1][column]


def parse_machine(data: Table) -> Machine:
    """A profile from its TOML table, of today's form or of the one before; raises ``KeyError`` or ``ValueError`` naming what is wrong."""
    data = dict(_of_old(data) if "spindle" in data else data)
    if "turret" in data:
        data["carries"] = data.pop("turret")
    if "change_at" in data:
        data["change_at"] = (data["change_at"]["x"], data["change_at"]["y"])
    made = convert(data, Machine)
    if made.kind not in NEEDED:
        raise ValueError(f"kind {made.kind!r}")
    letters, turned = NEEDED[made.kind]
    if (
        not letters <= {a.letter for a in made.axes}
        or not made.spindles
        or min(len(s.curve) for s in made.spindles) < 2
    ):
        raise ValueError("axes or spindles")
    if turned and (made.carries is None or made.spindle.chuck is None):
        raise ValueError("turret or chuck")
    return made


def _of_old(data: Table) -> Table:
    """A profile of the form before: one table for each of travels, rates and the one spindle, another for what only a lathe has."""
    new = {
        k: v
        for k, v in data.items()
        if k not in ("travel", "rapid", "acceleration", "spindle", "lathe", "probe", "encoder", "by_hand")
    }
    rows = {key: data[key] for key in ("travel", "rapid", "acceleration")}
    letters = "xyz" if data["kind"] == "mill" else "xz"
    new["axes"] = [{"letter": a.upper(), **{key: row[a] for key, row in rows.items()}} for a in letters]
    spindle = {
        "name": "main",
        **data["spindle"],
        "encoder": data.get("encoder", True),
        "by_hand": data.get("by_hand", False),
    }
    if "lathe" in data:
        old = dict(data["lathe"])
        names = {
            "diameter": "chuck_diameter",
            "length": "chuck_length",
            "largest": "largest_diameter",
            "through": "through",
        }
        spindle["chuck"] = {key: old.pop(was) for key, was in names.items()}
        new["turret"] = old
    new["spindles"] = [spindle]
    return new


def machines() -> Mapping[str, Machine]:
    """All profiles by id, the shipped ones first; a file of the user's that can't be read is left out."""
    return _machines(own_files("machines"))


def first_of(kind: str) -> Machine:
    """The first profile of a kind, in place of one that is gone."""
    return next(m for m in machines().values() if m.kind == kind)


def kind_of(machine: str) -> str:
    """The kind of a machine by its id; an unknown one counts as a mill."""
    known = machines().get(machine)
    return known.kind if known is not None else "mill"


@lru_cache(maxsize=4)
def _machines(own: tuple[tuple[str, int], ...]) -> Mapping[str, Machine]:
    """Read anew when one of the user's files has changed, in whatever process."""
    found = [parse_machine(table(f)) for f in sorted((DATA / "machines").glob("*.toml"))]
    for name, _ in own:
        try:
            found.append(parse_machine(table(Path(name))))
        except (OSError, ValueError, KeyError, TypeError, IndexError):
            continue
    return {machine.id: machine for machine in found}
