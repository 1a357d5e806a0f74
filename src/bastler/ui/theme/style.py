"""Fonts and the style sheet, filled from the tokens; an unknown token is an error at once."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from string import Template

from msgspec.structs import asdict
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication, QWidget

from bastler.ui.theme.tokens import Theme

TEXT_FAMILY = "Atkinson Hyperlegible Next"
MONO_FAMILY = "Atkinson Hyperlegible Mono"
BODY_PT = 11
HERE = Path(__file__).parent
_families: dict[str, str] = {}


def _family(kind: str) -> str:
    """A shipped family, made known to Qt at its first use."""
    if kind not in _families:
        for file in sorted((HERE / "fonts").glob(f"*{'Mono' if kind == 'mono' else 'Next'}*.ttf")):
            number = QFontDatabase.addApplicationFont(str(file))
            _families[kind] = next(iter(QFontDatabase.applicationFontFamilies(number)), "sans-serif")
    return _families.get(kind, "sans-serif")


@cache
def _font(points: float, bold: bool, mono: bool) -> QFont:
    result = QFont(_family("mono" if mono else "text"))
    result.setPointSizeF(points)
    result.setBold(bold)
    if not mono and hasattr(result, "setFeature"):
        tag = QFont.Tag.fromString("tnum")
        if tag is not None:
            result.setFeature(tag, 1)
    return result


def redress(widget: QWidget) -> None:
    """Make the style sheet see a changed property; a widget not shown yet is dressed later anyway."""
    if widget.testAttribute(Qt.WidgetAttribute.WA_WState_Polished):
        style = widget.style()
        assert style is not None
        style.unpolish(widget)
        style.polish(widget)


def font(points: float = BODY_PT, *, bold: bool = False, mono: bool = False) -> QFont:
    """A font of the app; figures are tabular."""
    return QFont(_font(points, bold, mono))


_SHEET = Template("""
* { color: $ink; }
QMainWindow, QDialog, QWidget#bench { background: $bench; }
QWidget#paper { background: $paper; }
QLabel { background: transparent; }
QLabel[role="title"] { font-size: 15pt; font-weight: bold; }
QLabel[role="group"] { color: $accent; font-weight: bold; }
QLabel[role="soft"] { color: $soft_ink; }
QLabel[role="reason"] { color: $soft_ink; }
QLabel[role="stop"] { color: $stop; }
QLabel[role="warn"] { color: $warn; }
QLabel[role="brand"] { color: $accent; font-size: 15pt; font-weight: bold; }
QLabel[role="missing"] { color: $accent; }
QFrame#bar { background: $bench; border: none; border-bottom: 2px solid $line; }
QFrame#foot { background: $paper; border: none; border-top: 2px solid $line; }
QFrame#banner { background: $accent_fill; border: none; border-bottom: 1px solid $line; }
QFrame#rule { background: $line; max-height: 1px; min-height: 1px; border: none; }
QLineEdit, QComboBox { background: $well; border: 2px solid $border; border-radius: 5px; padding: 3px 7px; min-height: 30px;
  selection-background-color: $accent; selection-color: $on_accent; }
QLineEdit[wrong="true"], QComboBox[wrong="true"] { border-color: $stop; }
QLineEdit[asks="true"] { border-color: $accent; background: $accent_fill; }
QComboBox[suggested="true"] { color: $soft_ink; }
QComboBox { padding-right: 0; }
QComboBox::drop-down { border: none; width: 20px; }
QComboBox::down-arrow { image: url("$chevron"); width: 12px; height: 12px; }
QComboBox QAbstractItemView { background: $well; border: 1px solid $line; selection-background-color: $accent;
  selection-color: $on_accent; }
QPushButton { background: $well; border: 2px solid $border; border-radius: 6px; padding: 3px 12px; min-height: 30px; }
QPushButton:hover { border-color: $accent; }
QPushButton:disabled { color: $soft_ink; }
QPushButton:checked { background: $accent; color: $on_accent; border-color: $accent; }
QPushButton[role="main"] { background: $accent; color: $on_accent; border-color: $accent; font-weight: bold; }
QPushButton[role="station"] { background: transparent; border: none; border-bottom: 4px solid transparent; border-radius: 0;
  padding: 6px 12px; font-size: 12.5pt; }
QPushButton[role="station"]:hover { border-bottom-color: $line; }
QPushButton[role="station"]:checked { background: transparent; color: $accent; font-weight: bold; border-bottom-color: $accent; }
QPushButton[role="quiet"], QPushButton[role="jump"] { background: transparent; border: 2px solid transparent; padding: 3px 7px; }
QPushButton[role="jump"] { padding: 3px 2px; }
QPushButton[role="quiet"]:hover, QPushButton[role="jump"]:hover { border-color: $line; }
QPushButton[role="segment"] { border-radius: 0; margin: 0; padding: 3px 6px; }
QPushButton[suggested="true"]:checked { background: $accent_fill; color: $ink; border-color: $border; }
QListWidget, QTreeWidget, QTableWidget, QPlainTextEdit { background: transparent; border: none; outline: none; }
QCheckBox { min-height: 36px; spacing: 8px; border: 2px solid transparent; border-radius: 5px; padding: 0 2px; }
QCheckBox::indicator { width: 20px; height: 20px; }
QListWidget, QTableWidget, QPlainTextEdit, QsciScintilla { border: 2px solid transparent; border-radius: 5px; }
QPushButton:focus, QPushButton[role="quiet"]:focus, QPushButton[role="jump"]:focus, QPushButton[role="segment"]:focus,
QPushButton:checked:focus, QPushButton[role="main"]:focus, QCheckBox:focus, QListWidget:focus, QTableWidget:focus,
QPlainTextEdit:focus, QsciScintilla:focus, QScrollArea:focus { border: 2px solid $focus; }
QPushButton[role="station"]:focus { border: 2px solid $focus; border-radius: 5px; }
QLineEdit:focus, QComboBox:focus { border-color: $focus; }
QListWidget::item:selected { background: $accent_fill; color: $ink; border-radius: 5px; }
QTableWidget { gridline-color: $line; selection-background-color: $accent_fill; selection-color: $ink; }
QHeaderView::section { background: $bench; border: none; border-bottom: 1px solid $line; padding: 4px; color: $soft_ink; }
QTableCornerButton::section { background: $bench; border: none; }
QScrollArea { background: transparent; border: none; }
QScrollArea > QWidget > QWidget { background: transparent; }
QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
QScrollBar::handle:vertical { background: $border; border-radius: 5px; min-height: 30px; }
QScrollBar:horizontal { background: transparent; height: 10px; margin: 0; }
QScrollBar::handle:horizontal { background: $border; border-radius: 5px; min-width: 30px; }
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page { background: none; height: 0; width: 0; }
QMenu { background: $well; border: 1px solid $border; padding: 4px; }
QMenu::item { padding: 8px 24px; }
QMenu#pictured { icon-size: 80px 50px; }
QMenu::item:selected { background: $accent_fill; }
QMenu::item:disabled { color: $soft_ink; }
QSlider::groove:horizontal { height: 4px; background: $border; border-radius: 2px; }
QSlider::handle:horizontal { background: $accent; width: 18px; margin: -8px 0; border-radius: 9px; }
QSplitter::handle { background: $line; }
QToolTip { background: $well; color: $ink; border: 1px solid $line; padding: 4px; }
""")


def apply(app: QApplication, theme: Theme) -> None:
    """Dress the application in a theme."""
    app.setFont(font())
    palette = QPalette()
    for role, value in (
        (QPalette.ColorRole.Window, theme.bench),
        (QPalette.ColorRole.Base, theme.well),
        (QPalette.ColorRole.Text, theme.ink),
        (QPalette.ColorRole.WindowText, theme.ink),
        (QPalette.ColorRole.ButtonText, theme.ink),
        (QPalette.ColorRole.Button, theme.well),
        (QPalette.ColorRole.Highlight, theme.accent),
        (QPalette.ColorRole.HighlightedText, theme.on_accent),
        (QPalette.ColorRole.PlaceholderText, theme.soft_ink),
        (QPalette.ColorRole.ToolTipBase, theme.well),
        (QPalette.ColorRole.ToolTipText, theme.ink),
    ):
        palette.setColor(role, QColor(value))
    app.setPalette(palette)
    chevron = HERE / f"chevron-{theme.name}.svg"
    app.setStyleSheet(_SHEET.substitute(asdict(theme), chevron=str(chevron).replace("\\", "/")))
