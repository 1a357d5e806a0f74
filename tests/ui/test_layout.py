"""What an eye and a finger find, over every station, page, cycle and choice, both machines, units, sizes and themes: nothing."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtWidgets import QAbstractButton, QApplication, QWidget

from bastler.core.cycles import cycles
from bastler.core.demo import DEMO, SPINDLE, demo_job
from bastler.core.fields import Field
from bastler.core.job.document import Step
from bastler.core.jobfiles.units import in_units
from bastler.core.quantities import Kind, Units
from bastler.ui.stations.setup import PAGES
from bastler.ui.theme.tokens import DAY, HUES, NIGHT, SHAPE, TEXT, Theme, contrast, mixed, outline, readable_on
from bastler.ui.widgets.ribbon import FILL
from tests.ui.conftest import Person
from tests.ui.eyesight import crowded, cut_off, seen, too_small

LARGE, SMALL = (1280, 800), (1100, 700)
STATIONS = ("Setup", "Steps", "Check", "Code")
RING_PX = 30
"""Pixels in the colour of the ring that a focused thing shows at least."""


def wrong(root: QWidget) -> list[str]:
    return [*cut_off(root), *crowded(root), *too_small(root)]


def opened(open_window, name: str, units: Units, size: tuple[int, int]) -> Person:  # type: ignore[no-untyped-def]
    person: Person = open_window(in_units(demo_job(name), units, keep_size=True), None)
    person.window.resize(*size)
    person.checked()
    return person


def choices(field: Field) -> list[str]:
    if field.kind is Kind.FLAG:
        return ["yes", "no"]
    return [key for key, _ in field.choices] if field.kind is Kind.CHOICE else []


@pytest.mark.parametrize("size", [LARGE, SMALL])
@pytest.mark.parametrize("units", ["mm", "inch"])
@pytest.mark.parametrize("name", [DEMO, SPINDLE])
def test_stations_and_pages(open_window, name: str, units: Units, size: tuple[int, int]) -> None:  # type: ignore[no-untyped-def]
    person = opened(open_window, name, units, size)
    window, found = person.window, {}
    for page in PAGES:
        window._setup_page(page)
        person.settle()
        found[page] = wrong(window)
    window.show_station("Steps")
    for step in window.session.steps:
        window.session.select(step.id)
        person.settle()
        found[step.id] = wrong(window)
    window._steps().open_add()
    person.settle()
    found["add"] = wrong(window)
    for station in ("Check", "Code"):
        window.show_station(station)
        person.checked()
        person.settle()
        found[station] = wrong(window)
    assert {k: v for k, v in found.items() if v} == {}


@pytest.mark.parametrize(
    ("units", "size", "every"), [("mm", LARGE, True), ("inch", LARGE, False), ("inch", SMALL, False)]
)
@pytest.mark.parametrize("name", [DEMO, SPINDLE])
def test_every_cycle_and_choice(  # type: ignore[no-untyped-def]
    open_window, name: str, units: Units, size: tuple[int, int], every: bool
) -> None:
    """Steps that have just been added, so everything is still asked."""
    person = opened(open_window, name, units, size)
    window, found = person.window, {}
    window.show_station("Steps")
    kind = window.session.plan.frame.machine.kind
    for cycle in cycles().in_order(kind):
        typed = [{}, *({f.key: key} for f in cycle.fields if every for key in choices(f))]
        for values in typed:
            step = Step(cycle=cycle.id, values=values)
            window.session.edit_steps((step,))
            window.session.select(step.id)
            window._steps().close_add()
            person.settle()
            found[f"{cycle.id} {values}"] = wrong(window)
    assert {k: v for k, v in found.items() if v} == {}


@pytest.mark.parametrize(("units", "size"), [("mm", LARGE), ("inch", SMALL)])
def test_every_driven_cycle_on_every_surface(open_window, units: Units, size: tuple[int, int]) -> None:  # type: ignore[no-untyped-def]
    job = in_units(demo_job("handle-hub.bastler"), units, keep_size=True)
    setup = msgspec.structs.replace(job.setups[0], machine=f"turning-centre-y-{units}")
    person: Person = open_window(msgspec.structs.replace(job, setups=(setup,)), None)
    window, found = person.window, {}
    window.resize(*size)
    person.checked()
    window.show_station("Steps")
    for cycle in (c for c in cycles().offered(window.session.plan.frame.machine) if c.on_surfaces):
        for on in cycle.on_surfaces:
            step = Step(cycle=cycle.id, values={"works_on": on, "times_round": "3"})
            window.session.edit_steps((step,))
            window.session.select(step.id)
            window._steps().close_add()
            person.settle()
            found[f"{cycle.id} {on}"] = wrong(window)
    assert {k: v for k, v in found.items() if v} == {}


@pytest.mark.parametrize("theme", [DAY, NIGHT])
def test_contrast(theme: Theme) -> None:
    grounds = (theme.paper, theme.bench, theme.well)
    for ink in (theme.ink, theme.soft_ink, theme.accent, theme.stop, theme.warn):
        assert min(contrast(ink, ground) for ground in (*grounds, theme.accent_fill)) >= TEXT, ink
    assert contrast(theme.on_accent, theme.accent) >= TEXT
    for shape in (theme.border, theme.focus, theme.hatch, theme.accent):
        assert min(contrast(shape, ground) for ground in grounds) >= SHAPE, shape
    for hue in HUES:
        assert min(contrast(outline(hue, theme), ground) for ground in (theme.paper, theme.bench)) >= SHAPE
        for fill in (hue, mixed(hue, theme.paper, FILL)):
            assert contrast(readable_on(fill), fill) >= TEXT


def focusable(root: QWidget) -> Iterator[QWidget]:
    for widget in seen(root):
        if (
            widget.focusPolicy() & Qt.FocusPolicy.TabFocus
            and widget.isEnabled()
            and not widget.visibleRegion().isEmpty()
        ):
            yield widget


def ring(image: QImage, colour: QColor) -> int:
    """Pixels of a colour."""
    want, count = colour.rgb(), 0
    for y in range(image.height()):
        for x in range(image.width()):
            count += image.pixel(x, y) == want
    return count


@pytest.mark.parametrize("theme", [DAY, NIGHT])
def test_the_focus_is_visible_everywhere(demo: Person, theme: Theme) -> None:
    """Each sort of thing that can have the focus, in every station and page: the ring shows."""
    demo.checked()
    window, tried, bare = demo.window, set(), []
    before = window.theme
    if before is not theme:
        window.switch_theme()
    for page in (*PAGES, "Steps", "Check", "Code"):
        window._setup_page(page) if page in PAGES else window.show_station(page)
        demo.settle()
        for widget in list(focusable(window)):
            checked = isinstance(widget, QAbstractButton) and widget.isChecked()
            sort = (type(widget).__name__, str(widget.property("role")), checked)
            if sort in tried or not widget.isVisible():
                continue
            tried.add(sort)
            widget.setFocus(Qt.FocusReason.TabFocusReason)
            demo.settle()
            area = widget.rect().translated(widget.mapTo(window, widget.rect().topLeft())).adjusted(-3, -3, 3, 3)
            if ring(window.grab(area).toImage(), QColor(theme.focus)) < RING_PX:
                bare.append((page, *sort, widget.accessibleName()))
    if before is not theme:
        window.switch_theme()  # it is remembered, and another test's window would begin with it
    assert bare == []
    assert len(tried) > 12


def test_tab_comes_to_everything_in_order(demo: Person) -> None:
    demo.checked()
    window = demo.window
    for page in (*PAGES, "Steps", "Check"):
        window._setup_page(page) if page in PAGES else window.show_station(page)
        demo.settle()
        wanted = {
            w for w in focusable(window) if not isinstance(w, QAbstractButton) or not (w.autoExclusive() or w.group())
        }
        start = next(iter(wanted))
        start.setFocus()
        came: list[QWidget] = []
        for _ in range(250):
            window.focusNextChild()
            now = QApplication.focusWidget()
            assert now is not None
            if now in came:
                break
            came.append(now)
        missed = [w for w in wanted if w not in came and not any(w.isAncestorOf(c) for c in came)]
        assert missed == [], [(page, type(w).__name__, w.accessibleName()) for w in missed]


def test_fields_are_reached_in_the_order_in_which_they_stand(demo: Person) -> None:
    demo.control(Qt.Key.Key_2)
    form = demo.steps.form
    form.focus_first()
    places = []
    while form.area.isAncestorOf(QApplication.focusWidget()) and len(places) < 60:
        widget = QApplication.focusWidget()
        places.append(widget.mapTo(form.area.widget(), widget.rect().topLeft()).y())
        demo.key(Qt.Key.Key_Tab)
    assert places == sorted(places)
    assert len(places) > 5
