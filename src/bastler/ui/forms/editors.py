"""Editors: one widget per kind of field, all with the same small interface.

An editor shows a typed text or, in lighter ink, the suggestion that holds until something is typed.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QInputDevice, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from bastler.core.fields import Answers, Field
from bastler.core.quantities import Kind, Units, scale, show
from bastler.ui.plain.line import LineEdit
from bastler.ui.theme.style import font, redress

Offers = Callable[[Field], list[tuple[str, str]]]
"""The choices of a field that depend on the job: keys and words."""
ROUNDED = {Kind.FEED: 0, Kind.CUTTING_SPEED: 0}
"""Decimals, less one, of suggestions that are shown in inch units."""
JOB_KINDS = (Kind.TOOL, Kind.PATTERN, Kind.STEPS, Kind.CONTOUR, Kind.CONTOURS)
LONGEST_SEGMENTS = {2: 25, 3: 19}


def no_offers(_: Field) -> list[tuple[str, str]]:
    """For forms without tools and patterns."""
    return []


class Editor(QObject):
    """What the form talks to."""

    typed = pyqtSignal(str)
    entered = pyqtSignal()
    focused = pyqtSignal()
    touched = pyqtSignal()
    asked = pyqtSignal()

    widget: QWidget

    def show_state(self, text: str, suggestion: str, *, wrong: bool, asks: bool) -> None:
        """Bring the widget up to date without moving the cursor."""
        raise NotImplementedError

    def focus(self) -> None:
        """Give it the cursor."""
        self.widget.setFocus(Qt.FocusReason.OtherFocusReason)


def _mark(widget: QWidget, **properties: bool) -> None:
    """Set style properties and redress the widget if one changed; a property never set counts as false."""
    changed = False
    for name, value in properties.items():
        if bool(widget.property(name)) != value:
            widget.setProperty(name, value)
            changed = True
    if changed:
        redress(widget)


class LineField(LineEdit):
    """A line of a form."""

    focused = pyqtSignal()
    touched = pyqtSignal()
    lettered = pyqtSignal(str)
    letters = ""
    """Letters that mean something to the panel around it while nothing is typed here."""
    _clicked_in = False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        letter = event.text().lower()
        plain = not event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier
        if plain and letter and letter in self.letters and self.selectedText() == self.text():
            self.lettered.emit(letter)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Select all, so that typing replaces."""
        super().focusInEvent(event)
        self.focused.emit()
        if event is not None and event.reason() != Qt.FocusReason.PopupFocusReason:
            self.selectAll()
            self._clicked_in = event.reason() == Qt.FocusReason.MouseFocusReason

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A finger asks for the number pad."""
        super().mousePressEvent(event)
        device = event.pointingDevice() if event is not None else None
        if device is not None and device.type() == QInputDevice.DeviceType.TouchScreen:
            self.touched.emit()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """The click that brings the cursor selects all too; the next one sets it."""
        super().mouseReleaseEvent(event)
        if self._clicked_in and not self.hasSelectedText():
            self.selectAll()
        self._clicked_in = False


class LineEditor(Editor):
    """Numbers, expressions and lists."""

    def __init__(self, field: Field) -> None:
        super().__init__()
        self.line = LineField()
        self.widget = self.line
        self.line.setAlignment(
            Qt.AlignmentFlag.AlignRight
            if field.kind not in (Kind.TEXT, Kind.POINTS, Kind.CYLINDERS, Kind.THREAD)
            else Qt.AlignmentFlag.AlignLeft
        )
        self.line.setFont(font(12))
        self.line.textEdited.connect(self.typed)
        self.line.returnPressed.connect(self.entered)
        self.line.focused.connect(self.focused)
        self.line.touched.connect(self.touched)

    def show_state(self, text: str, suggestion: str, *, wrong: bool, asks: bool) -> None:
        if self.line.text() != text:
            self.line.setText(text)
        if self.line.placeholderText() != suggestion:
            self.line.setPlaceholderText(suggestion)
        _mark(self.line, wrong=wrong, asks=asks)


class _Combo(QComboBox):
    focused = pyqtSignal()
    entered = pyqtSignal()
    asked = pyqtSignal()
    asks_elsewhere = False

    def showPopup(self) -> None:
        """The list, or word to whoever shows the choices at length."""
        if self.asks_elsewhere:
            self.asked.emit()
        else:
            super().showPopup()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.focused.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter goes on; Space opens the list."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
        elif event is not None and event.key() == Qt.Key.Key_Space:
            self.showPopup()
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Scrolling the form never changes an answer."""
        if event is not None:
            event.ignore()


class ListEditor(Editor):
    """One of a list; the tool field is one too."""

    def __init__(self, choices: list[tuple[str, str]], *, asks_elsewhere: bool = False) -> None:
        super().__init__()
        self.combo = _Combo()
        self.combo.asks_elsewhere = asks_elsewhere
        self.combo.asked.connect(self.asked)
        self.combo.setProperty("suggested", True)
        self.widget = self.combo
        self.set_choices(choices)
        self.combo.activated.connect(lambda _: self.typed.emit(str(self.combo.currentData())))
        self.combo.focused.connect(self.focused)
        self.combo.entered.connect(self.entered)

    def set_choices(self, choices: list[tuple[str, str]]) -> None:
        """Offer these."""
        if [(str(self.combo.itemData(i)), self.combo.itemText(i)) for i in range(self.combo.count())] == choices:
            return
        self.combo.blockSignals(True)
        self.combo.clear()
        for key, word in choices:
            self.combo.addItem(word, key)
        self.combo.blockSignals(False)

    def show_state(self, text: str, suggestion: str, *, wrong: bool, asks: bool) -> None:
        index = self.combo.findData(text or suggestion)
        if self.combo.currentIndex() != index:
            self.combo.setCurrentIndex(index)
        _mark(self.combo, wrong=wrong, asks=asks, suggested=not text)


class _Check(QCheckBox):
    focused = pyqtSignal()
    entered = pyqtSignal()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.focused.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter goes on; Space ticks."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
        else:
            super().keyPressEvent(event)


class ChecksEditor(Editor):
    """Several of a list, each to be ticked; the answer is their keys with commas between."""

    def __init__(self, choices: list[tuple[str, str]]) -> None:
        super().__init__()
        self.widget = QWidget()
        self._column = QVBoxLayout(self.widget)
        self._column.setContentsMargins(0, 4, 0, 4)
        self._column.setSpacing(6)
        self.boxes: dict[str, _Check] = {}
        self.set_choices(choices)

    def set_choices(self, choices: list[tuple[str, str]]) -> None:
        """Offer these."""
        if [(k, b.text()) for k, b in self.boxes.items()] == choices:
            return
        for box in self.boxes.values():
            self._column.removeWidget(box)
            box.deleteLater()
        self.boxes = {}
        for key, word in choices:
            box = _Check(word)
            box.setMinimumHeight(26)
            box.clicked.connect(self._tell)
            box.focused.connect(self.focused)
            box.entered.connect(self.entered)
            self._column.addWidget(box)
            self.boxes[key] = box
        if self.boxes:
            self.widget.setFocusProxy(next(iter(self.boxes.values())))

    def _tell(self) -> None:
        self.typed.emit(", ".join(key for key, box in self.boxes.items() if box.isChecked()))

    def show_state(self, text: str, suggestion: str, *, wrong: bool, asks: bool) -> None:
        ticked = {key.strip() for key in text.split(",")}
        for key, box in self.boxes.items():
            box.setChecked(key in ticked)


class _Lines(QPlainTextEdit):
    focused = pyqtSignal()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.focused.emit()


class TextEditor(Editor):
    """Several lines of text; Enter is a new line, Tab goes on."""

    def __init__(self) -> None:
        super().__init__()
        self.box = _Lines()
        self.widget = self.box
        self.box.setFont(font(11, mono=True))
        self.box.setTabChangesFocus(True)
        self.box.setMinimumHeight(130)
        self.box.setProperty("role", "lines")
        self.box.textChanged.connect(lambda: self.typed.emit(self.box.toPlainText()))
        self.box.focused.connect(self.focused)

    def show_state(self, text: str, suggestion: str, *, wrong: bool, asks: bool) -> None:
        if self.box.toPlainText() != text:
            self.box.blockSignals(True)
            self.box.setPlainText(text)
            self.box.blockSignals(False)
        self.box.setPlaceholderText(suggestion)
        _mark(self.box, wrong=wrong, asks=asks)


class _Segment(QPushButton):
    focused = pyqtSignal()
    entered = pyqtSignal()
    stepped = pyqtSignal(int)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.focused.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.stepped.emit(1 if event.key() == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)


class SegmentEditor(Editor):
    """Two or three short choices side by side."""

    def __init__(self, choices: list[tuple[str, str]], name: str) -> None:
        super().__init__()
        self.widget = QWidget()
        row = QHBoxLayout(self.widget)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.keys = [key for key, _ in choices]
        self.buttons: list[_Segment] = []
        group = QButtonGroup(self.widget)
        for key, word in choices:
            button = _Segment(word)
            button.setCheckable(True)
            button.setProperty("role", "segment")
            button.setProperty("suggested", True)
            button.setAccessibleName(f"{name}: {word}")
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            button.clicked.connect(lambda _, k=key: self.typed.emit(k))
            button.focused.connect(self.focused)
            button.entered.connect(self.entered)
            button.stepped.connect(self._step)
            group.addButton(button)
            row.addWidget(button)
            self.buttons.append(button)
        self.widget.setFocusProxy(self.buttons[0])

    def _step(self, by: int) -> None:
        at = next((i for i, b in enumerate(self.buttons) if b.isChecked()), 0) + by
        if 0 <= at < len(self.buttons):
            self.buttons[at].setFocus()
            self.typed.emit(self.keys[at])

    def show_state(self, text: str, suggestion: str, *, wrong: bool, asks: bool) -> None:
        for key, button in zip(self.keys, self.buttons, strict=True):
            button.setChecked(key == (text or suggestion))
            _mark(button, suggested=not text)
            if key == (text or suggestion):
                self.widget.setFocusProxy(button)


def editor_for(field: Field, offers: Offers) -> Editor:
    """The editor of a field's kind."""
    if field.kind in (Kind.STEPS, Kind.CONTOURS):
        return ChecksEditor(offers(field))
    if field.kind in JOB_KINDS:
        return ListEditor(offers(field), asks_elsewhere=field.kind is Kind.TOOL)
    if field.kind is Kind.LINES:
        return TextEditor()
    choices = list(field.choices)
    if field.kind is Kind.FLAG:
        choices = [("yes", "Yes"), ("no", "No")]
    if choices:
        if sum(len(word) for _, word in choices) <= LONGEST_SEGMENTS.get(len(choices), 0):
            return SegmentEditor(choices, field.label)
        return ListEditor(choices)
    return LineEditor(field)


def shown_suggestion(field: Field, answers: Answers, units: Units) -> str:
    """What holds while nothing is typed, in the job's units."""
    text = answers.suggestions[field.key].text if field.key in answers.suggestions else field.default or ""
    factor = scale(field.kind, units)
    return show(float(text), field.kind, units, ROUNDED.get(field.kind, 3)) if text and factor != 1.0 else text
