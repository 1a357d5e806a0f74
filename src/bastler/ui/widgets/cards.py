"""The plan as step cards: pictogram, name, tool, minutes, state. Drag, keys or the menu reorder them."""

from __future__ import annotations

from functools import lru_cache

from PyQt6.QtCore import QModelIndex, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDropEvent, QFontMetricsF, QKeyEvent, QPainter, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from bastler.core.plans.plan import StepPlan
from bastler.ui.drawing import pens
from bastler.ui.session import Session
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, Theme, hue, outline

CARD_PX, LINE_PX, TEXT_LEFT_PX, STATE_PX, NAME_GAP_PX = 68, 22, 68, 24.0, 8.0
ID_ROLE = Qt.ItemDataRole.UserRole


def clock(seconds: float) -> str:
    """Seconds as ``2:05``."""
    whole = round(seconds)
    return f"{whole // 60}:{whole % 60:02d}"


def paint_pictogram(
    p: QPainter, box: QRectF, shapes: tuple[tuple[str, float, float, float, float], ...], ink: str, colour: str
) -> None:
    """A cycle's pictogram: frames in ink, fills and dots in the step's colour."""
    for word, x, y, w, h in shapes:
        r = QRectF(box.left() + x * box.width(), box.top() + y * box.height(), w * box.width(), h * box.height())
        p.setPen(pens.pen(ink, 1.6))
        p.setBrush(QColor(colour) if word in ("fill", "dot") else Qt.BrushStyle.NoBrush)
        if word in ("dot", "ring"):
            p.drawEllipse(r)
        else:
            p.drawRoundedRect(r, 3 if word == "fill" else 1, 3 if word == "fill" else 1)


class _Delegate(QStyledItemDelegate):
    """Paints one card."""

    def __init__(self, cards: Cards) -> None:
        super().__init__(cards)
        self.cards = cards

    def sizeHint(self, _: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return index.data(Qt.ItemDataRole.SizeHintRole) or QSize(200, CARD_PX)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        session, t = self.cards.session, self.cards.theme
        i = session.index_of(str(index.data(ID_ROLE)))
        if i < 0:
            return
        step = session.plan.steps[i]
        colour = hue(session.colours.slot(step.step.id))
        box = QRectF(option.rect).adjusted(2, 2, -2, -2)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        selected = index.row() == self.cards.currentRow() or self.cards.is_picked(index)
        painter.setPen(pens.pen(t.accent, 2) if selected else Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.well if selected else t.bench))
        painter.drawRoundedRect(box, 6, 6)
        painter.setPen(pens.pen(outline(colour, t), 1.0))
        painter.setBrush(QColor(colour) if step.step.on else Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(QRectF(box.left() + 1, box.top() + 4, 7, box.height() - 8), 3, 3)
        ink, fill = (t.ink, colour) if step.step.on else (t.soft_ink, t.bench)
        paint_pictogram(painter, QRectF(box.left() + 16, box.top() + 14, 42, 38), step.cycle.pictogram, ink, fill)
        self._texts(painter, box, step, t)
        if not selected:
            painter.setPen(pens.thin(t.line))
            painter.drawLine(
                QPointF(box.left() + 10, box.bottom() + 1.5), QPointF(box.right() - 10, box.bottom() + 1.5)
            )
        painter.restore()

    def _texts(self, p: QPainter, box: QRectF, step: StepPlan, t: Theme) -> None:
        on, left = step.step.on, box.left() + TEXT_LEFT_PX
        state, note = self.cards.state_of(step)
        seconds = self.cards.seconds.get(step.number - 1)
        time_text = clock(seconds) if seconds is not None and step.ready else ""
        y = box.top() + 9
        for i, (name, text) in enumerate(card_lines(step, note, time_text, self.cards.text_width())):
            p.setFont(font(12, bold=True))
            p.setPen(QColor(t.ink if on else t.soft_ink))
            p.drawText(QRectF(left, y, 240, LINE_PX), Qt.AlignmentFlag.AlignVCenter, name)
            used = QFontMetricsF(p.font()).horizontalAdvance(name) + NAME_GAP_PX if name else 0.0
            p.setFont(font())
            p.setPen(QColor(t.soft_ink))
            p.drawText(QRectF(left + used, y, 240, LINE_PX), Qt.AlignmentFlag.AlignVCenter, text)
            y += LINE_PX + (2 if i == 0 else 0)
        p.setFont(font())
        p.setPen(QColor(t.soft_ink))
        place = QRectF(box.right() - 94, box.top() + 9, 64, LINE_PX)
        p.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, time_text)
        paint_state(p, QPointF(box.right() - 18, box.top() + 21), state, t)


def card_lines(step: StepPlan, note: str, time_text: str, width: float) -> tuple[tuple[str, str], ...]:
    """The lines of a card, each with what is bold in it and what isn't: name with title, what is said of it; none cut off.

    The time stands in the first.
    """
    return _lines(step.cycle.name, step.title, note, time_text, width)


@lru_cache(maxsize=512)
def _lines(name: str, title: str, note: str, time_text: str, width: float) -> tuple[tuple[str, str], ...]:
    bold, plain = QFontMetricsF(font(12, bold=True)), QFontMetricsF(font())
    beside = width - STATE_PX - (plain.horizontalAdvance(time_text) + NAME_GAP_PX if time_text else 0.0)
    room = beside - bold.horizontalAdvance(name) - NAME_GAP_PX
    if plain.horizontalAdvance(title) <= room:
        lines = [(name, title)]
    else:
        lines = [(name, ""), *(("", one) for one in wrapped(title, plain, width))]
    return (*lines, *(("", one) for one in wrapped(note, plain, width)))


def wrapped(text: str, metrics: QFontMetricsF, width: float) -> list[str]:
    """A text in lines of at most a width, broken at blanks; a word that is wider than that alone is broken anywhere."""
    if metrics.horizontalAdvance(text) <= width:
        return [text]
    lines = [""]
    for word in text.split(" "):
        joined = f"{lines[-1]} {word}" if lines[-1] else word
        if metrics.horizontalAdvance(joined) <= width:
            lines[-1] = joined
            continue
        if lines[-1]:
            lines.append("")
        for letter in word:
            if lines[-1] and metrics.horizontalAdvance(lines[-1] + letter) > width:
                lines.append("")
            lines[-1] += letter
    return lines


def paint_state(p: QPainter, at: QPointF, state: str, t: Theme) -> None:
    """Ready: small dot. Asks: ring. Doubtful: triangle. Stop: square with a bar. Off: dash."""
    p.save()
    if state == "ready":
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(t.ink))
        p.drawEllipse(at, 5, 5)
    elif state == "asks":
        p.setPen(pens.pen(t.accent, 2.5))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(at, 5.5, 5.5)
    elif state == "warn":
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(t.warn))
        p.drawPolygon(
            QPolygonF(
                [QPointF(at.x(), at.y() - 7), QPointF(at.x() + 7.5, at.y() + 6), QPointF(at.x() - 7.5, at.y() + 6)]
            )
        )
    elif state == "stop":
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(t.stop))
        p.drawRect(QRectF(at.x() - 6.5, at.y() - 6.5, 13, 13))
        p.setBrush(QColor(t.paper))
        p.drawRect(QRectF(at.x() - 4, at.y() - 1.3, 8, 2.6))
    else:
        p.setPen(pens.pen(t.soft_ink, 2.5))
        p.drawLine(QPointF(at.x() - 5, at.y()), QPointF(at.x() + 5, at.y()))
    p.restore()


class Cards(QListWidget):
    """The list; selection, order and keys go straight to the session."""

    opened = pyqtSignal()

    def __init__(self, session: Session, theme: Theme = DAY, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.seconds: dict[int, float] = {}
        self.worst: dict[str, str] = {}
        self.setItemDelegate(_Delegate(self))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setAccessibleName("Plan")
        self._filling = False
        self.currentItemChanged.connect(self._picked)
        session.changed.connect(self.refresh)
        session.judged.connect(self.refresh)
        session.selection_changed.connect(self._follow)
        session.checked_changed.connect(self._read_check)
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Repaint in a theme."""
        self.theme = theme
        self._repaint()

    def _repaint(self) -> None:
        view = self.viewport()
        assert view is not None
        view.update()

    def state_of(self, step: StepPlan) -> tuple[str, str]:
        """The state's word and the second line of the card."""
        tool = step.tool
        tool_text = f"T{tool.number}  {tool.name}" if tool else "no tool yet" if "tool" in step.answers.missing else ""
        if step.parts:
            tool_text = "  ".join(dict.fromkeys(f"T{p.tool.number}" for p in step.parts if p.tool))
        if not step.step.on:
            return "off", "switched off"
        blocking = [p for p in step.answers.problems if p.blocks]
        if blocking:
            return "stop", "can’t be cut like this"
        if step.answers.missing:
            n = len(step.answers.missing)
            return "asks", f"asks for {n} answer{'s' if n > 1 else ''}"
        worst = self.worst.get(step.step.id)
        if worst in ("stop", "warn"):
            return worst, tool_text
        if step.answers.problems:
            return "warn", tool_text
        return "ready", tool_text

    def _ids(self) -> list[str]:
        """The steps of the cards, from the top down."""
        return [str(item.data(ID_ROLE)) for i in range(self.count()) if (item := self.item(i)) is not None]

    def refresh(self) -> None:
        """Bring the list to the job's steps."""
        ids = [s.id for s in self.session.steps]
        self._filling = True
        if self._ids() != ids:
            self.clear()
            for i in ids:
                item = QListWidgetItem()
                item.setData(ID_ROLE, i)
                self.addItem(item)
        for row, one in enumerate(self.session.plan.steps):
            state, note = self.state_of(one)
            card = self.item(row)
            assert card is not None
            card.setData(Qt.ItemDataRole.AccessibleTextRole, f"{one.number}. {one.full_name}, {note}, {state}")
            seconds = self.seconds.get(row)
            lines = card_lines(one, note, clock(seconds) if seconds is not None else "", self.text_width())
            size = QSize(200, CARD_PX + (max(len(lines), 2) - 2) * LINE_PX)
            if card.sizeHint() != size:
                card.setSizeHint(size)
        self._filling = False
        self._follow()
        self._repaint()

    def _follow(self) -> None:
        self._filling = True
        row = self.session.index_of(self.session.selected)
        if row != self.currentRow() or len(self.selectedItems()) < 2:
            self.setCurrentRow(row)
        self._filling = False
        self._repaint()

    def _picked(self, item: QListWidgetItem | None) -> None:
        if not self._filling and item is not None:
            self.session.select(str(item.data(ID_ROLE)))

    def _read_check(self) -> None:
        checked = self.session.checked
        self.seconds = checked.step_seconds() if checked else {}
        self.worst = {}
        for f in checked.findings if checked else ():
            if f.step and f.severity != "note" and self.worst.get(f.step) != "stop":
                self.worst[f.step] = f.severity
        self.refresh()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """A card was dragged: the new order is an edit."""
        super().dropEvent(event)
        order = self._ids()
        self.session.edit_steps(tuple(self.session.steps[self.session.index_of(i)] for i in order))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter opens the form."""
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit()
        else:
            super().keyPressEvent(event)

    def is_picked(self, index: QModelIndex) -> bool:
        """Whether a card is one of those selected."""
        item = self.item(index.row())
        return item is not None and item.isSelected()

    def picked_ids(self) -> tuple[str, ...]:
        """The selected cards: one, or several with Shift or Ctrl."""
        chosen = {str(item.data(ID_ROLE)) for item in self.selectedItems()}
        if self.session.selected not in chosen:
            chosen = {self.session.selected} if self.session.selected else set()
        return tuple(s.id for s in self.session.steps if s.id in chosen)

    def text_width(self) -> float:
        """Room for the texts of a card; what a scroll bar takes is kept free."""
        return self.width() - TEXT_LEFT_PX - 26.0

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.refresh()

    def card_rect(self, row: int) -> QRect:
        """Where a card is, for tests that click."""
        return self.visualItemRect(self.item(row))
