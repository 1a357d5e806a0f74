"""What an eye would find wrong with a window, measured: cut-off texts, texts on texts in drawings, things too small to touch."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtWidgets import (
    QAbstractButton,
    QCheckBox,
    QComboBox,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QStyle,
    QStyleOptionComboBox,
    QTableWidget,
    QWidget,
)

from bastler.ui.drawing.zoom import ZoomSheet

SLACK_PX = 1.0
TOUCH_PX = 40


def seen(root: QWidget) -> Iterator[QWidget]:
    """Everything of a window that can be seen now, or scrolled to."""
    for widget in root.findChildren(QWidget):
        if widget.isVisible():
            yield widget


def cut_off(root: QWidget) -> list[str]:
    """Texts that have less room than they need."""
    found = []
    for widget in seen(root):
        text, need, have = _room(widget)
        if need > have + SLACK_PX:
            found.append(f"{type(widget).__name__} “{text}” has {have:.0f} of {need:.0f}")
        if isinstance(widget, QTableWidget):
            found += _cells(widget)
        beyond = _beyond(widget)
        if text and beyond:
            found.append(f"{type(widget).__name__} “{text}” reaches {beyond} px out of its place")
    return found


def _room(widget: QWidget) -> tuple[str, float, float]:
    """A widget's text, the width that it needs and the one that it has (for several lines: heights)."""
    metrics = QFontMetricsF(widget.font())
    if isinstance(widget, QLabel):
        if widget.textFormat() == Qt.TextFormat.RichText:
            return "", 0, 0
        if widget.wordWrap():
            need = widget.fontMetrics().boundingRect(
                QRect(0, 0, widget.contentsRect().width(), 10_000), 0x1000, widget.text()
            )
            return widget.text(), need.height(), widget.contentsRect().height() + 2
        if metrics.ascent() > widget.height():
            return widget.text(), metrics.ascent(), widget.height()
        return widget.text(), metrics.horizontalAdvance(widget.text()), widget.contentsRect().width()
    if isinstance(widget, QComboBox):
        option = QStyleOptionComboBox()
        widget.initStyleOption(option)
        box = widget.style().subControlRect(  # type: ignore[union-attr]
            QStyle.ComplexControl.CC_ComboBox, option, QStyle.SubControl.SC_ComboBoxEditField, widget
        )
        return widget.currentText(), metrics.horizontalAdvance(widget.currentText()), box.width()
    if isinstance(widget, QLineEdit):
        text = widget.placeholderText() if not widget.text() else ""  # what is typed can be scrolled
        return text, metrics.horizontalAdvance(text), widget.width() - 22
    if isinstance(widget, QCheckBox):
        return widget.text(), widget.sizeHint().width(), widget.width()
    if isinstance(widget, QPushButton):
        return (
            widget.text(),
            metrics.horizontalAdvance(widget.text().replace("&", "")),
            widget.width() - _padding(widget),
        )
    return "", 0, 0


def _padding(button: QPushButton) -> float:
    role = str(button.property("role") or "")
    return {"segment": 14.0, "quiet": 8.0, "jump": 8.0, "station": 20.0}.get(role, 16.0)


def _cells(table: QTableWidget) -> list[str]:
    found = []
    for column in (c for c in range(table.columnCount()) if not table.isColumnHidden(c)):
        room = table.columnWidth(column) - 6
        head = table.horizontalHeaderItem(column)
        texts = [head.text()] if head is not None else []
        for row in range(table.rowCount()):
            item = table.item(row, column)
            texts += [item.text()] if item is not None else []
        for text in texts:
            need = QFontMetricsF(table.font()).horizontalAdvance(text)
            if need > room + SLACK_PX:
                found.append(f"cell “{text}” has {room} of {need:.0f}")
    return found


def _beyond(widget: QWidget) -> int:
    """How far a widget is cut by the one that holds it, sideways."""
    parent = widget.parentWidget()
    if parent is None or isinstance(widget, QHeaderView) or isinstance(parent, QHeaderView):
        return 0
    return max(widget.geometry().right() - parent.rect().right(), parent.rect().left() - widget.geometry().left(), 0)


def crowded(root: QWidget) -> list[str]:
    """Texts of drawings that lie on another text, on a thick edge, or off the sheet."""
    found = []
    for sheet in (w for w in seen(root) if isinstance(w, ZoomSheet)):
        sheet.grab()
        texts = sheet.texts
        name = sheet.accessibleName()
        for i, one in enumerate(texts.placed):
            if not texts.sheet.adjusted(-3, -3, 3, 3).contains(one.rect):
                found.append(f"{name}: “{one.text}” is off the sheet")
            if texts.on_edge(one.rect.adjusted(2, 3, -2, -3)):
                found.append(f"{name}: “{one.text}” lies on an edge")
            for other in texts.placed[i + 1 :]:
                if one.rect.adjusted(2, 2, -2, -2).intersects(other.rect.adjusted(2, 2, -2, -2)):
                    found.append(f"{name}: “{one.text}” on “{other.text}”")
    return found


def too_small(root: QWidget) -> list[str]:
    """Buttons, fields and ticks that a finger misses."""
    found = []
    for widget in seen(root):
        if isinstance(widget, QAbstractButton | QComboBox | QLineEdit) and widget.height() < TOUCH_PX:
            if isinstance(widget.parentWidget(), QComboBox):
                continue
            words = widget.accessibleName() or (
                widget.text() if isinstance(widget, QAbstractButton | QLineEdit) else ""
            )
            found.append(f"{type(widget).__name__} “{words}” is {widget.height()} high")
    return found
