"""A contour on the sheet: what is certain solid, where the rest could be thin, several answers lightly with numbers.

Each typed fact is a dimension as soon as it can be drawn. Fields are named ``element.fact``, elements from 0.
"""

from __future__ import annotations

import math
from functools import lru_cache

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter

from bastler.core.geometry.contour.answers import Answer, Member
from bastler.core.geometry.contour.facts import Contour
from bastler.core.geometry.contour.families import family
from bastler.core.geometry.contour.solve import solve
from bastler.core.geometry.nearest import nearest
from bastler.core.geometry.path import Path, Point, path_bounds
from bastler.core.geometry.shapes import Bounds
from bastler.core.marks import Angle, Distance, Radius, Sign
from bastler.core.planning.contours import AGREES_MM, NamedContour, outer_key, place_words, plane_of, times_of
from bastler.core.quantities import Kind, Units, drawn
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionPainter, DimensionText, Tag
from bastler.ui.drawing.projection import Projection
from bastler.ui.drawing.texts import Texts, lead
from bastler.ui.drawing.zoom import ZoomSheet
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import Theme, hue

MOST_DIMENSIONS = 18
MOST_NUMBERED = 20
TOUCH_PX = 12.0
OTHERS_SEEN = 1.6
"""Once an answer is chosen, others that are larger by more don't shrink the drawing."""
DOT_PX = 3.0
RING_PX = 11.0
SIDES = {"x": "bottom", "cx": "bottom", "y": "left", "cy": "left", "dx": "top", "dy": "right"}


def _size(b: Bounds) -> float:
    return max(b[1] - b[0], b[3] - b[2])


@lru_cache(maxsize=32)
def _family(contour: Contour, tolerance: float) -> tuple[tuple[Member, ...], ...]:
    return tuple(family(contour, tolerance))


@lru_cache(maxsize=32)
def _before(contour: Contour, place: str) -> tuple[Member, ...]:
    """What is certain before the element at which facts contradict."""
    element = place.partition(".")[0]
    if not element.isdigit() or element == "0":
        return ()
    return solve(replace(contour, elements=contour.elements[: int(element)], closed=False), reasons=False).certain


class ContourLayer:
    """Draws one contour; ``element`` is the selected one, ``offered`` the answer that Enter would take."""

    def __init__(self) -> None:
        self.solved: NamedContour | None = None
        self.units: Units = "mm"
        self.element = -1
        self.offered = 0
        self.focus = ""
        self.tags: list[Tag] = []
        self._labels: list[tuple[int, QRectF]] = []
        self._box: tuple[NamedContour | None, Bounds | None] = (None, None)
        self._places: tuple[tuple[Answer, ...], dict[int, Point]] = ((), {})

    # what is known

    def known(self) -> tuple[Member, ...]:
        """Elements whose points are certain, without their corners."""
        s = self.solved
        if s is None:
            return ()
        if s.result is not None and s.result.status == "conflict" and s.contour is not None and s.problems:
            return _before(s.contour, s.problems[0].field)
        return s.known

    def _offered(self) -> tuple[Member, ...]:
        """The elements of the answer that Enter would take."""
        several = self.several()
        return several[self.offered].members if self.offered < len(several) else ()

    def several(self) -> tuple[Answer, ...]:
        """Answers between which the person can choose."""
        s = self.solved
        return s.answers if s is not None and len(s.answers) > 1 else ()

    def bounds(self) -> Bounds | None:
        """Extent of all that is drawn; found once for the same state."""
        if self._box[0] is not self.solved:
            self._box = (self.solved, self._extent())
        return self._box[1]

    def _extent(self) -> Bounds | None:
        s = self.solved
        if s is None:
            return None
        boxes = [path_bounds(m.path) for m in self.known()]
        others = [path_bounds(a.path()) for a in s.answers]
        if s.path is not None:
            own = path_bounds(s.path)
            boxes = [own]
            others = [b for b in others if _size(b) < OTHERS_SEEN * _size(own)]
        boxes += others
        start = s.contour.start if s.contour is not None else (None, None)
        places = [start]
        for e in s.contour.elements if s.contour is not None and s.path is None else ():
            given = {f.key: f.value for f in e.facts}
            places += [(given.get("x"), given.get("y")), (given.get("cx"), given.get("cy"))]
        boxes += [(x, x, y, y) for x, y in places if x is not None and y is not None]
        if not boxes:
            return None
        return (min(b[0] for b in boxes), max(b[1] for b in boxes), min(b[2] for b in boxes), max(b[3] for b in boxes))

    def selected_box(self) -> Bounds | None:
        """The selected element, or everything."""
        own = [path_bounds(m.path) for m in self.known() if m.source == self.element]
        return own[0] if own else self.bounds()

    # painting

    def edges(self, texts: Texts, view: Projection) -> None:
        """What is drawn thick: no text lies on it."""
        s = self.solved
        known = [s.path] if s is not None and s.path is not None else [m.path for m in self.known()]
        texts.edges(view.path(path) for path in known)

    def paint(self, sheet: ZoomSheet, p: QPainter, view: Projection) -> None:
        """Everything of the contour."""
        self.tags, self._labels = [], []
        s, theme = self.solved, sheet.theme
        if s is None:
            return
        mine = [m for m in self.known() if m.source == self.element]
        with sheet.clipped(p, view):
            self._shapes(p, view, theme, mine)
        self._joints(sheet, p, view, mine)
        self._dimensions(sheet, p, view)
        self._numbers(sheet, p, view)

    def _shapes(self, p: QPainter, view: Projection, theme: Theme, mine: list[Member]) -> None:
        s = self.solved
        assert s is not None
        p.setBrush(Qt.BrushStyle.NoBrush)
        if s.path is not None:
            self._draw(p, view, s.path, pens.pen(theme.ink, 2.6))
        elif s.contour is not None and s.result is not None and s.result.status == "open":
            if s.result.missing == 1:
                for example in _family(s.contour, AGREES_MM[self.units]):
                    for m in example if self._in_sight(example) else ():
                        self._draw(p, view, m.path, pens.pen(pens.tint(theme.accent, 0.25), 1.0))
            self._open_end(p, view, theme)
        if s.path is None:
            for m in self.known():
                self._draw(p, view, m.path, pens.pen(theme.ink, 2.6))
        self._answers(p, view, theme)
        for m in mine:
            self._draw(p, view, m.path, pens.pen(theme.accent, 3.6))

    def _draw(self, p: QPainter, view: Projection, path: Path, pen: object) -> None:
        p.setPen(pen)  # type: ignore[call-overload]
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(view.path(path))

    def _open_end(self, p: QPainter, view: Projection, theme: Theme) -> None:
        """Where what is known ends and the next fact is asked for: a dashed ring."""
        s, known = self.solved, {m.source: m for m in self.known()}
        assert s is not None
        assert s.contour is not None
        loose = next((i for i in range(len(s.contour.elements)) if i not in known), 0)
        if loose:
            at: Point | None = known[loose - 1].end
        else:
            x, y = s.contour.start
            at = (x, y) if x is not None and y is not None else None
        if at is not None and loose not in known:
            p.setPen(pens.dashed(theme.accent))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(view.at(at), RING_PX, RING_PX)

    def _in_sight(self, example: tuple[Member, ...]) -> bool:
        """Whether a possible place lies near what is known; others would only be lines across the sheet."""
        box = self.bounds()
        if box is None:
            return True
        room = 0.5 * max(box[1] - box[0], box[3] - box[2], 10.0)
        return all(
            box[0] - room < q[0] < box[1] + room and box[2] - room < q[1] < box[3] + room
            for m in example
            for q in (m.start, m.end)
        )

    def _answers(self, p: QPainter, view: Projection, theme: Theme) -> None:
        """Each in a hue of its own; the one that Enter takes is thicker."""
        s, several = self.solved, self.several()
        assert s is not None
        for k, answer in enumerate(several[:MOST_NUMBERED]):
            if k == s.chosen:
                continue
            offered = k == self.offered and s.chosen < 0
            ink = pens.tint(hue(k), 0.95 if offered else 0.55)
            self._draw(p, view, answer.path(), pens.pen(ink, 2.6 if offered else 1.3))

    def _numbers(self, sheet: ZoomSheet, p: QPainter, view: Projection) -> None:
        """The number of each answer, in a ring of its hue."""
        s, several, theme = self.solved, self.several(), sheet.theme
        assert s is not None
        for k in range(len(several[:MOST_NUMBERED])):
            at = view.at(self._place_of(several, k))
            rect = sheet.texts.take(str(k + 1), sheet.texts.find(at, (24.0, 24.0)))
            lead(p, rect, at, hue(k))
            lit = k == s.chosen or (k == self.offered and s.chosen < 0)
            p.setPen(pens.pen(hue(k), 1.6))
            p.setBrush(QColor(theme.accent_fill if lit else theme.paper))
            p.drawEllipse(rect)
            p.setFont(font(11, bold=lit))
            p.setPen(QColor(theme.ink))
            p.drawText(rect, Qt.AlignmentFlag.AlignCenter, str(k + 1))
            self._labels.append((k, rect))

    def _place_of(self, several: tuple[Answer, ...], k: int) -> Point:
        """Where an answer's number stands; found once for the same answers."""
        if self._places[0] is not several:
            self._places = (several, {})
        places = self._places[1]
        if k not in places:
            places[k] = _own_place(several, k)
        return places[k]

    def _joints(self, sheet: ZoomSheet, p: QPainter, view: Projection, mine: list[Member]) -> None:
        theme = sheet.theme
        p.setPen(pens.thin(theme.ink))
        p.setBrush(QColor(theme.paper))
        for m in self.known():
            for q in (m.start, m.end):
                p.drawEllipse(view.at(q), DOT_PX, DOT_PX)
        for m in mine:
            p.setPen(QColor(theme.accent))
            for q, name in ((m.end, "end"), *(((m.centre, "centre"),) if m.centre is not None else ())):
                at = view.at(q)
                plane = plane_of(self.solved.values) if self.solved is not None else "XY"
                text = f"{name} {place_words(plane, q, self.units, 3 if self.units == 'mm' else 4)}"
                half = QFontMetricsF(font()).horizontalAdvance(text) / 2
                places = [at + QPointF(x * (half + 10), y * 18) for x, y in ((1, 1), (1, -1), (-1, 1), (-1, -1))]
                sheet.texts.write(p, text, places[0], theme.accent, font(), places[1:])
                if name == "centre":
                    p.drawLine(QPointF(at.x() - 6, at.y()), QPointF(at.x() + 6, at.y()))
                    p.drawLine(QPointF(at.x(), at.y() - 6), QPointF(at.x(), at.y() + 6))

    def _dimensions(self, sheet: ZoomSheet, p: QPainter, view: Projection) -> None:
        """Facts as typed, where their element is known."""
        s = self.solved
        if s is None or s.contour is None:
            return
        box = self.bounds()
        if box is None:
            return
        frame = sheet.frame_of(view, box)
        count = sum(len(e.facts) for e in s.contour.elements)
        text: dict[str, str] = {}
        straight: list[tuple[Distance, str]] = []
        others: list[Radius | Angle | Sign] = []
        for m in self.known() or self._offered():
            if m.corner or (count > MOST_DIMENSIONS and m.source != self.element):
                continue
            for fact in s.contour.elements[m.source].facts:
                plane = s.contour.plane
                name = f"{m.source}.{outer_key(plane, fact.key)}"
                sign = "Ø" if times_of(plane, fact.key) != 1.0 else ""
                kind = Kind.ANGLE if fact.key in ("angle", "sweep") else Kind.LENGTH
                text[name] = sign + drawn(fact.value * times_of(plane, fact.key), self.units, kind)
                mark = self._mark(m, fact.key, name, view)
                if isinstance(mark, Distance):
                    straight.append((mark, SIDES.get(fact.key, "beside")))
                elif mark is not None:
                    others.append(mark)
        painter = DimensionPainter(sheet, p, view, frame, DimensionText(text, self.focus, frozenset()))
        painter.distances([d for d in straight if math.dist(d[0].a, d[0].b) > 1e-6])
        for other in others:
            if isinstance(other, Radius):
                painter.radius(other)
            elif isinstance(other, Angle):
                painter.angle(other)
            else:
                painter.sign(other)
        self.tags = painter.tags

    def _mark(self, m: Member, key: str, name: str, view: Projection) -> Distance | Radius | Angle | Sign | None:
        (x0, y0), (x1, y1) = m.start, m.end
        match key:
            case "x":
                return Distance(name, (0.0, y1), (x1, y1))
            case "y":
                return Distance(name, (x1, 0.0), (x1, y1), 90.0)
            case "dx":
                return Distance(name, (x0, y1), (x1, y1))
            case "dy":
                return Distance(name, (x1, y0), (x1, y1), 90.0)
            case "length":
                return Distance(name, m.start, m.end, math.degrees(m.direction(False)))
            case "angle":
                return Angle(
                    name, m.start, 34.0 / view.scale, 0.0, (math.degrees(m.direction(False)) + 180.0) % 360.0 - 180.0
                )
        if m.centre is None:
            return None
        middle = m.middle
        out = math.degrees(math.atan2(middle[1] - m.centre[1], middle[0] - m.centre[0]))
        match key:
            case "radius":
                return Radius(name, m.centre, m.radius, out)
            case "cx":
                return Distance(name, (0.0, m.centre[1]), m.centre)
            case "cy":
                return Distance(name, (m.centre[0], 0.0), m.centre, 90.0)
        return Sign(name, middle, f"{math.degrees(abs(m.sweep)):.4g}°")

    # the mouse

    def at(self, view: Projection, place: QPointF) -> tuple[str, int, str]:
        """What lies under the mouse: ``answer`` and its index, ``fact`` with element and key, ``element``, or nothing."""
        for k, rect in self._labels:
            if rect.adjusted(-4, -4, 4, 4).contains(place):
                return ("answer", k, "")
        for tag in reversed(self.tags):
            if tag.rect.contains(place):
                element, _, key = tag.field.partition(".")
                return ("fact", int(element), key)
        p = view.back(place)
        near = [(nearest(m.path, p)[1], m.source) for m in self.known()]
        if near and min(near)[0] * view.scale < TOUCH_PX:
            return ("element", min(near)[1], "")
        for k, answer in enumerate(self.several()[:MOST_NUMBERED]):
            if nearest(answer.path(), p)[1] * view.scale < TOUCH_PX / 2:
                return ("answer", k, "")
        return ("", -1, "")


def _own_place(answers: tuple[Answer, ...], k: int) -> Point:
    """A point of an answer that lies away from the others."""
    best, far = answers[k].members[0].start, -1.0
    for m in answers[k].members:
        path = m.path
        for share in (0.3, 0.5, 0.7):
            p = path.part(0.0, path.length * share).end
            away = min(
                (nearest(other.path(), p)[1] for n, other in enumerate(answers[:MOST_NUMBERED]) if n != k), default=0.0
            )
            if away > far:
                best, far = p, away
    return best
