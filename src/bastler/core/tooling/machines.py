"""Machine profiles (``data/machines/*.toml``): travels, rates, spindle, dialect."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path
from typing import Any

from msgspec import Struct

from bastler.core.data import DATA, own_files, table

Axes = tuple[float, float, float]


class Lathe(Struct, frozen=True):
    """What only a lathe has. mm; ``change_x`` a diameter, with ``change_z`` from the part's zero."""

    side: str
    carrier: str
    tailstock: bool
    chuck_diameter: float
    chuck_length: float
    largest_diameter: float
    through: float
    change_x: float
    change_z: float


class Machine(Struct, frozen=True):
    """A three-axis milling machine, or a two-axis ``lathe``, whose X is counted as a radius here.

    ``travel`` mm; ``rapid`` mm/min; ``acceleration`` mm/s²; ``curve`` rows of rev/min, kW, Nm;
    ``coolants``: the ways of cooling that it has. ``encoder``: whether feeds and threads can follow the spindle's turns; ``by_hand``: its speed is
    set by a person, with belts or a knob.
    ``change_at``: X and Y from machine zero where tools are changed, where they are if ``None``;
    ``nose_to_table`` the gap under the spindle nose with Z at its upper end, mm.
    """

    id: str
    name: str
    kind: str
    units: str
    dialect: str
    travel: Axes
    rapid: Axes
    acceleration: Axes
    feed_limit: float
    lowest_speed: float
    highest_speed: float
    curve: tuple[tuple[float, float, float], ...]
    tool_change_s: float
    nose_to_table: float
    pockets: int = 1
    probe: bool = False
    change_at: tuple[float, float] | None = None
    lathe: Lathe | None = None
    coolants: tuple[str, ...] = ("flood",)
    encoder: bool = True
    by_hand: bool = False

    def torque(self, speed: float) -> float:
        """Torque at a speed in Nm, between the rows of the curve along 1/n where power holds."""
        return _along(self.curve, speed, 2)

    def power(self, speed: float) -> float:
        """Power at a speed in kW."""
        return _along(self.curve, speed, 1)


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


def _axes(row: Mapping[str, float]) -> Axes:
    return (row["x"], row["y"], row["z"])


def parse_machine(data: Mapping[str, Any]) -> Machine:
    """A profile from its TOML table; raises ``KeyError`` naming a missing key."""
    spindle = data["spindle"]
    return Machine(
        id=data["id"],
        name=data["name"],
        kind=data["kind"],
        units=data["units"],
        dialect=data["dialect"],
        travel=_axes(data["travel"]),
        rapid=_axes(data["rapid"]),
        acceleration=_axes(data["acceleration"]),
        feed_limit=data["feed_limit"],
        lowest_speed=spindle["lowest"],
        highest_speed=spindle["highest"],
        curve=tuple((row[0], row[1], row[2]) for row in spindle["curve"]),
        tool_change_s=data["tool_change_s"],
        nose_to_table=data["nose_to_table"],
        pockets=data.get("pockets", 1),
        probe=data.get("probe", False),
        change_at=(data["change_at"]["x"], data["change_at"]["y"]) if "change_at" in data else None,
        lathe=Lathe(**data["lathe"]) if data["kind"] == "lathe" else None,
        coolants=tuple(data.get("coolants", ("flood",))),
        encoder=data.get("encoder", True),
        by_hand=data.get("by_hand", False),
    )


def machines() -> Mapping[str, Machine]:
    """All profiles by id, the shipped ones first; a file of the user's that can't be read is left out."""
    return _machines(own_files("machines"))


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
