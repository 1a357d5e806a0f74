"""Threads by name, with the diameters that their standards give (``data/threads.toml``).

*Major*: outer diameter D. *Minor*: inner diameter D1 of the nut thread, what the tap leaves of the
hole. *Tap drill*: the hole to drill before cutting the thread.

Metric and unified (60°): D1 = D − 1.082532 P (ISO 724, ASME B1.1). Pipe (55°): D1 = D − 1.280654 P
(ISO 228-1). The widest minor diameter that still holds: ISO 965-1 class 6H, ASME B1.1 class 2B.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import Literal

from msgspec import Struct

from bastler.core.data import DATA, Table, table
from bastler.core.quantities import MM_PER_INCH

MINOR_60_DEG = 1.082532
MINOR_55_DEG = 1.280654
FORMING_SHARE = 0.425
"""A forming tap wants its hole this share of the pitch under the outer diameter (about 65 % of the full thread)."""
Family = Literal["metric", "metric fine", "unified coarse", "unified fine", "unified", "pipe", "trapezoidal"]


class Thread(Struct, frozen=True):
    """One thread; all in mm. ``pitch``: from one turn to the next beside it, also of several ``starts``."""

    name: str
    family: Family
    major: float
    pitch: float
    tap_drill: float
    widest_minor: float
    starts: int = 1
    left: bool = False

    @property
    def minor(self) -> float:
        """Basic minor diameter D1."""
        if self.family == "trapezoidal":
            return self.major - self.pitch
        return self.major - (MINOR_55_DEG if self.family == "pipe" else MINOR_60_DEG) * self.pitch

    def drill_for(self, forming: bool) -> float:
        """The hole for a cutting or a forming tap."""
        return round(self.major - FORMING_SHARE * self.pitch, 2) if forming else self.tap_drill

    def misfit(self, hole: float, forming: bool) -> str:
        """ "narrow" or "wide" if a hole is that for a cutting or a forming tap, else nothing."""
        drill = self.drill_for(forming)
        narrowest = drill - 0.02 if forming else min(self.minor, drill) - 0.02 * self.pitch
        widest = drill + 0.1 * self.pitch if forming else self.widest_minor + 0.06 * self.pitch
        return "narrow" if hole < narrowest else "wide" if hole > widest else ""


class Screw(Struct, frozen=True):
    """A socket head screw: through hole and counterbore, mm."""

    name: str
    clearance: float
    head_diameter: float
    head_depth: float


def minor_tolerance_6h(pitch: float) -> float:
    """T_D1 of tolerance grade 6 in mm: the table of ISO 965-1, by its formula between its pitches."""
    listed = _table()["minor_tolerance_grade_6"].get(str(float(pitch)))
    microns = listed or (433 * pitch - 190 * pitch**1.22 if pitch <= 0.8 else 230 * pitch**0.7)
    return float(microns) / 1000


def minor_tolerance_2b(diameter: float, pitch: float) -> float:
    """Tolerance of the minor diameter of class 2B in mm (ASME B1.1, 5.8.1 with lengths in inches)."""
    d, p = diameter / MM_PER_INCH, pitch / MM_PER_INCH
    base = 0.25 * p - 0.4 * p * p
    if d < 0.25:
        small = 0.05 * (p * p) ** (1 / 3) + 0.03 * p / d - 0.002
        base = min(max(small, base), 0.394 * p)
    return base * MM_PER_INCH


def _metric(size: float, pitch: float, drill: float, *, fine: bool) -> Thread:
    name = f"M{size:g}x{pitch:g}" if fine else f"M{size:g}"
    widest = size - MINOR_60_DEG * pitch + minor_tolerance_6h(pitch)
    return Thread(name, "metric fine" if fine else "metric", size, pitch, drill, widest)


def _unified(name: str, size_inch: float, per_inch: float, drill: float, *, fine: bool) -> Thread:
    major, pitch = size_inch * MM_PER_INCH, MM_PER_INCH / per_inch
    widest = major - MINOR_60_DEG * pitch + minor_tolerance_2b(major, pitch)
    return Thread(
        f"{name} {'UNF' if fine else 'UNC'}", "unified fine" if fine else "unified coarse", major, pitch, drill, widest
    )


@cache
def _table() -> Table:
    return table(DATA / "threads.toml")


@cache
def threads() -> Mapping[str, Thread]:
    """All known threads by name, in the order of their tables."""
    t = _table()
    found = [_metric(*row, fine=False) for row in t["metric_coarse"]]
    off = {float(k): v for k, v in t["fine_drill_off"].items()}
    found += [
        _metric(size, p, round(size - off.get(p, p), 2), fine=True)
        for size, *pitches in t["metric_fine"]
        for p in pitches
    ]
    found += [_unified(*row, fine=False) for row in t["unified_coarse"]]
    found += [_unified(*row, fine=True) for row in t["unified_fine"]]
    for name, major, per_inch, drill, tolerance in t["pipe"]:
        pitch = MM_PER_INCH / per_inch
        found.append(Thread(name, "pipe", major, pitch, drill, major - MINOR_55_DEG * pitch + tolerance))
    return {thread.name: thread for thread in found}


@cache
def screws() -> Mapping[str, Screw]:
    """Screws with a known counterbore, by name."""
    return {row[0]: Screw(*row) for row in _table()["screws"]}


def thread_of(diameter: float, pitch: float) -> Thread:
    """The thread of a tap given by numbers alone: the known one, or one made of them."""
    for thread in threads().values():
        if abs(thread.major - diameter) < 0.01 and abs(thread.pitch - pitch) < 0.002:
            return thread
    return metric_by_numbers(f"{diameter:g} x {pitch:g}", diameter, pitch)


def metric_by_numbers(name: str, size: float, pitch: float) -> Thread:
    """A thread of 60° of any size and pitch, mm."""
    drill = round(size - pitch, 2)
    return Thread(name, "metric fine", size, pitch, drill, size - MINOR_60_DEG * pitch + minor_tolerance_6h(pitch))


def unified_by_numbers(name: str, size: float, pitch: float) -> Thread:
    """A unified thread of any size and pitch, mm."""
    widest = size - MINOR_60_DEG * pitch + minor_tolerance_2b(size, pitch)
    return Thread(name, "unified", size, pitch, round(size - pitch, 2), widest)
