"""A DXF drawing read: its lines, arcs and curves by layer, what was left out and why.

Lengths come in millimetres once the units are known; a file that doesn't say asks (``units`` is empty).
Free curves become arcs within ``error``.
"""

from __future__ import annotations

import contextlib
import io
import math
from collections import Counter
from collections.abc import Iterable
from pathlib import Path as File
from typing import Any, TypeAlias

from msgspec import Struct

from bastler.core.diskfiles import read_file, shown
from bastler.core.geometry.fitting import through
from bastler.core.geometry.path import Arc, Element, Line, Path, Point
from bastler.core.problems import Unusable
from bastler.core.quantities import MM_PER_INCH, counted

Entity: TypeAlias = Any
"""A drawn thing as ezdxf has it; each kind with attributes of its own."""
UNITS = {1: "inch", 2: "foot", 4: "mm", 5: "cm", 6: "m"}
MM = {"inch": MM_PER_INCH, "foot": 12 * MM_PER_INCH, "mm": 1.0, "cm": 10.0, "m": 1000.0}
MOST_BYTES = 200_000_000
KIND_WORDS = {
    "INSERT": ("block", "blocks"), "TEXT": ("text", "texts"), "MTEXT": ("text", "texts"), "HATCH": ("hatching", "hatchings"),
    "DIMENSION": ("dimension", "dimensions"), "POINT": ("point", "points"), "IMAGE": ("picture", "pictures"),
    "3DSOLID": ("solid", "solids"), "LEADER": ("leader", "leaders"), "VIEWPORT": ("viewport", "viewports"),
}  # fmt: skip
"""What a drawing's entities are called."""
MOST_STROKES = 200_000
FLAT_MM = 1e-6
NESTED = 8
FINER = 8.0
"""Curves are sampled this much finer than the error allowed."""
DRAWN = ("LINE", "ARC", "CIRCLE", "LWPOLYLINE", "POLYLINE", "ELLIPSE", "SPLINE")
ONLY_TEXT = {"TEXT", "MTEXT", "DIMENSION", "LEADER", "HATCH", "ATTDEF", "ATTRIB", "POINT", "MULTILEADER"}


class Stroke(Struct, frozen=True):
    """One thing drawn: its layer and its path."""

    layer: str
    path: Path

    @property
    def circle(self) -> tuple[Point, float] | None:
        """Centre and radius if it is a whole circle."""
        one = self.path.elements[0]
        if len(self.path.elements) == 1 and isinstance(one, Arc) and one.end == self.path.start:
            return (one.centre, math.dist(one.centre, one.end))
        return None


class Drawing(Struct, frozen=True):
    """``strokes`` in millimetres if ``units`` is known, in the file's numbers otherwise. ``left_out``: sentences."""

    strokes: tuple[Stroke, ...]
    units: str
    left_out: tuple[str, ...]
    error: float
    damaged: bool

    @property
    def layers(self) -> dict[str, int]:
        """How many strokes each layer has."""
        return dict(Counter(s.layer for s in self.strokes))


def read_dxf(file: File, units: str = "", error: float = 0.01) -> Drawing:
    """Read a file; raises :class:`Unusable` with a sentence. ``units``: in which it is drawn, whatever the file says."""
    data = read_file(
        file, MOST_BYTES, f"larger than {MOST_BYTES // 1_000_000} MB. Save only what is needed as a smaller drawing"
    )
    try:
        document, damaged = _document(data)
        own = UNITS.get(int(document.header.get("$INSUNITS", 0) or 0), "")
        said = units or own
        reader = _Reader(MM.get(said, 1.0), error)
        reader.all(document.modelspace())
        return Drawing(tuple(reader.strokes), said, tuple(reader.said()), reader.worst, damaged)
    except Exception:  # a damaged drawing raises anything at all in the library that reads it
        raise Unusable(f"{shown(file)} is not a DXF drawing that can be read. Save it anew as DXF.") from None


def _document(data: bytes) -> tuple[Any, bool]:
    """The file as it is; if it can't be read so, what can be saved of it."""
    import ezdxf
    from ezdxf import recover

    with contextlib.suppress(Exception):
        return ezdxf.read(io.StringIO(data.decode("utf-8").replace("\r\n", "\n"))), False
    with contextlib.redirect_stdout(io.StringIO()):
        document, _ = recover.read(io.BytesIO(data))
    return document, True


class _Reader:
    """Collects strokes; counts what is left out."""

    def __init__(self, factor: float, error: float) -> None:
        self.factor, self.error = factor, error
        self.strokes: list[Stroke] = []
        self.missed: Counter[str] = Counter()
        self.worst = 0.0

    def all(self, entities: Iterable[Entity], depth: int = 0) -> None:
        for e in entities:
            if len(self.strokes) >= MOST_STROKES:
                self.missed["beyond"] += 1
                continue
            try:
                self._one(e, depth)
            except Exception:  # a damaged entity, whatever the library that reads it objects to
                self.missed["broken"] += 1

    def _one(self, e: Entity, depth: int) -> None:
        kind = e.dxftype()
        if kind == "INSERT":
            if depth >= NESTED:
                self.missed["nested"] += 1
            else:
                self.all(e.virtual_entities(), depth + 1)
            return
        if kind not in DRAWN:
            self.missed["text" if kind in ONLY_TEXT else f"kind {kind}"] += 1
            return
        path = self._path(e, kind)
        if path is None:
            self.missed["solid"] += 1
        elif path.elements and path.length > FLAT_MM:
            if not math.isfinite(path.length) or path.length > 1e6:
                self.missed["huge"] += 1
            else:
                self.strokes.append(Stroke(str(e.dxf.get("layer", "0")), path))
        else:
            self.missed["empty"] += 1

    def _p(self, x: float, y: float) -> Point:
        return (float(x) * self.factor, float(y) * self.factor)

    def _path(self, e: Entity, kind: str) -> Path | None:
        """The path of an entity, ``None`` if it doesn't lie flat."""
        way = e.dxf.get("extrusion", (0, 0, 1))
        if abs(way[0]) + abs(way[1]) > FLAT_MM:
            return None
        if kind == "LINE":
            a, b = e.dxf.start, e.dxf.end
            return None if abs(a[2] - b[2]) > FLAT_MM else Path(self._p(a[0], a[1]), (Line(self._p(b[0], b[1])),))
        mirrored = way[2] < 0
        if kind in ("ARC", "CIRCLE"):
            return self._round(e, kind, mirrored)
        if kind in ("LWPOLYLINE", "POLYLINE"):
            return self._polyline(e, kind, mirrored)
        return self._curve(e, kind)

    def _round(self, e: Entity, kind: str, mirrored: bool) -> Path:
        c, r = e.dxf.center, float(e.dxf.radius)
        side = -1.0 if mirrored else 1.0
        centre = self._p(side * c[0], c[1])
        a, b = (0.0, 360.0) if kind == "CIRCLE" else (float(e.dxf.start_angle), float(e.dxf.end_angle))
        r = abs(r) * self.factor

        def on(angle: float) -> Point:
            return (centre[0] + side * r * math.cos(math.radians(angle)), centre[1] + r * math.sin(math.radians(angle)))

        start = on(a)
        end = start if kind == "CIRCLE" or abs((b - a) % 360) < 1e-9 else on(b)
        return Path(start, (Arc(end, centre, not mirrored),))

    def _polyline(self, e: Entity, kind: str, mirrored: bool) -> Path | None:
        side = -1.0 if mirrored else 1.0
        if kind == "POLYLINE":
            if not (e.is_2d_polyline or e.is_3d_polyline):
                return None
            places = [v.dxf.location for v in e.vertices]
            if places and max(abs(p[2] - places[0][2]) for p in places) > FLAT_MM:
                return None
            rows = [(p[0], p[1], float(v.dxf.get("bulge", 0.0))) for p, v in zip(places, e.vertices, strict=True)]
            closed = bool(e.is_closed)
        else:
            rows = [(p[0], p[1], p[2]) for p in e.get_points("xyb")]
            closed = bool(e.closed)
        points = [self._p(side * x, y) for x, y, _ in rows]
        bulges = [side * b for _, _, b in rows]
        if closed and points:
            points.append(points[0])
        elements: list[Element] = []
        for a, b, bulge in zip(points, points[1:], bulges, strict=False):
            if math.dist(a, b) < FLAT_MM:
                continue
            elements.append(Line(b) if abs(bulge) < 1e-9 else Arc(b, _bulge_centre(a, b, bulge), bulge > 0))
        return Path(points[0], tuple(elements)) if points else Path((0.0, 0.0), ())

    def _curve(self, e: Entity, kind: str) -> Path | None:
        fine = self.error / FINER / self.factor
        vertices = list(e.flattening(fine)) if kind == "ELLIPSE" else list(e.flattening(fine, 8))
        if max((abs(v[2] - vertices[0][2]) for v in vertices), default=0.0) > FLAT_MM:
            return None
        path, worst = through([self._p(v[0], v[1]) for v in vertices], self.error - self.error / FINER)
        self.worst = max(self.worst, worst + self.error / FINER)
        return path

    def said(self) -> list[str]:
        """What was left out, as sentences."""
        words = {
            "text": "without lines to cut (texts, dimensions, points)",
            "solid": "not flat (3-D)",
            "empty": "without length",
            "broken": "damaged",
            "nested": "in blocks nested too deeply",
            "huge": "without a sensible size",
            "beyond": f"after the first {MOST_STROKES}",
        }
        found = [f"Left out, {text}: {self.missed[key]}." for key, text in words.items() if self.missed[key]]
        for key, n in self.missed.items():
            if key.startswith("kind "):
                one, many = KIND_WORDS.get(key[5:], (f"{key[5:]} entity", f"{key[5:]} entities"))
                found.append(f"{counted(n, one, many)} {'was' if n == 1 else 'were'} left out.")
        return found


def _bulge_centre(a: Point, b: Point, bulge: float) -> Point:
    """Centre of the arc from ``a`` to ``b`` whose bulge is the tangent of a quarter of its sweep."""
    away = (1 - bulge * bulge) / (4 * bulge)
    return ((a[0] + b[0]) / 2 - away * (b[1] - a[1]), (a[1] + b[1]) / 2 + away * (b[0] - a[0]))
