"""Pieces of the window on their own: what they show, not how it is rastered."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtGui import QColor
from pytestqt.qtbot import QtBot

from bastler.core.checked import DEVIATIONS, deviation
from bastler.core.cycles import cycles
from bastler.core.demo import demo_job, new_job
from bastler.core.graphs import nice
from bastler.core.job.document import PatternRecord
from bastler.core.planner import plan
from bastler.core.tooling.curves import machine_graph, material_graph
from bastler.core.tooling.machines import machines
from bastler.core.tooling.materials import materials
from bastler.ui.forms.form import Form
from bastler.ui.session import Session
from bastler.ui.sheets.graphsheet import GraphSheet
from bastler.ui.sheets.patternsheet import PatternSheet
from bastler.ui.sheets.setupdrawing import SetupSheet
from bastler.ui.sheets.sheet import Sheet
from bastler.ui.theme.tokens import DAY, NIGHT
from bastler.ui.widgets.addstep import AddStep
from bastler.ui.widgets.powerbar import PowerBar
from bastler.ui.widgets.table import RecordTable
from tests.jobs import FACE, plate
from tests.ui.conftest import Person


def colours(widget, step: int = 3) -> set[str]:  # type: ignore[no-untyped-def]
    image = widget.grab().toImage()
    return {
        image.pixelColor(x, y).name() for x in range(0, image.width(), step) for y in range(0, image.height(), step)
    }


@pytest.mark.parametrize(
    ("typed", "first"),
    [("face", "face"), ("m8", "recipe"), ("hole", "recipe"), ("drill", "drill"), ("tap", "tap"), ("pock", "pocket"), ("round", "round"), ("outl", "outline"), ("outs", "outside"),
     ("ream", "ream"), ("chamfer", "chamfer"), ("counters", "countersink"), ("seat", "counterbore"), ("centre", "spot"), ("boring", "bore"), ("oil", "pause"), ("remark", "note"), ("own", "text")],
)  # fmt: skip
def test_a_word_finds_its_cycle(typed: str, first: str, qtbot: QtBot) -> None:
    adder = AddStep()
    qtbot.addWidget(adder)
    adder.open(0)
    adder.search.setText(typed)
    chosen: list[str] = []
    adder.chosen.connect(chosen.append)
    adder._take()
    assert chosen == [first]


def test_cycles_are_offered_as_work_goes(qtbot: QtBot) -> None:
    adder = AddStep()
    qtbot.addWidget(adder)
    adder.open(0)
    names = [adder.list.item(i).text().split("\n")[0] for i in range(adder.list.count())]  # type: ignore[union-attr]
    assert names[:3] == ["Face", "Outside", "Pocket"]
    assert names[-1] == "Program text"
    for machine in ("mill", "lathe"):
        assert len({c.rank for c in cycles().in_order(machine)}) == len(cycles().ids(machine))


@pytest.mark.parametrize("theme", [DAY, NIGHT])
@pytest.mark.parametrize(("share", "colour"), [(0.3, "accent"), (0.95, "warn"), (1.4, "stop")])
def test_the_power_bar_warns_before_it_is_too_much(theme, share: float, colour: str, qtbot: QtBot) -> None:  # type: ignore[no-untyped-def]
    bar = PowerBar(theme)
    qtbot.addWidget(bar)
    bar.resize(320, 46)
    bar.show_share(share)
    bar.show()
    painted = [QColor(c) for c in colours(bar, 1)]
    wanted = QColor(getattr(theme, colour))
    assert any(abs(c.hueF() - wanted.hueF()) < 0.04 and c.saturationF() > 0.3 for c in painted)
    assert f"{share * 100:.0f} %" in bar.toolTip()
    bar.show_share(None)
    assert bar.isHidden()


def test_spindle_curves_are_drawn(qtbot: QtBot) -> None:
    sheet = GraphSheet()
    qtbot.addWidget(sheet)
    sheet.resize(500, 400)
    assert "#0072b2" not in colours(sheet, 1)
    for machine in machines().values():
        sheet.show_graph(machine_graph(machine))
        assert {"#0072b2", "#d55e00"} <= colours(sheet, 1)
    for material in list(materials().values())[::7]:
        sheet.show_graph(material_graph(material))
        assert "#0072b2" in colours(sheet, 1)
    assert [nice(v) for v in (0.7, 2.2, 28.0, 118.0, 15.0)] == [0.8, 4.0, 40.0, 200.0, 20.0]


def test_tables_show_lines_and_keep_the_selected_one(qtbot: QtBot) -> None:
    table = RecordTable(("a", "b"), "Test", 0, (1,))
    qtbot.addWidget(table)
    told: list[int] = []
    table.currentCellChanged.connect(lambda row, *_: told.append(row))
    table.show_rows([("x", "1"), ("y", "2"), ("z", "3")], 1)
    assert (table.rowCount(), table.currentRow()) == (3, 1)
    assert told == []
    assert table.item(2, 0).text() == "z"  # type: ignore[union-attr]


def test_a_pattern_is_drawn_with_its_dimensions(qtbot: QtBot) -> None:
    patterns = (
        PatternRecord(
            id="#a",
            name="grid",
            values={
                "pattern": "grid",
                "first_x": "20",
                "first_y": "20",
                "columns": "3",
                "rows": "2",
                "pitch_x": "30",
                "pitch_y": "25",
            },
        ),
        PatternRecord(id="#b", name="open", values={"pattern": "circle", "centre_x": "90"}),
    )
    session = Session(plate(FACE).changed(patterns=patterns))
    sheet = PatternSheet(session)
    qtbot.addWidget(sheet)
    sheet.resize(700, 520)
    sheet.show_pattern(session.plan.pattern_answers[0])
    sheet.grab()
    assert {"first_x", "first_y", "pitch_x", "pitch_y"} <= {t.field for t in sheet.tags}
    assert [s.number for s in sheet._spots] == [1, 2, 3, 4, 5, 6]
    sheet.show_pattern(session.plan.pattern_answers[1])
    sheet.grab()
    assert {"circle_diameter", "centre_y"} <= {t.field for t in sheet.tags}, "what is missing is drawn with stand-ins"
    sheet.show_pattern(None)
    sheet.grab()
    assert sheet._spots == []


@pytest.mark.parametrize(
    ("values", "fields"),
    [
        ({"stock_kind": "round", "diameter": "80", "held_in": "chuck"}, {"diameter", "size_z"}),
        ({"stock_kind": "tube", "diameter": "80", "bore": "30", "held_in": "chuck"}, {"diameter", "size_z"}),
        ({"held_in": "clamps"}, {"size_x", "size_y", "size_z"}),
        ({"parts": "grid", "parts_pitch_x": "300", "held_in": "free"}, {"size_x", "size_y"}),
    ],
)
def test_every_kind_of_stock_and_holding_is_drawn(values: dict[str, str], fields: set[str], qtbot: QtBot) -> None:
    session = Session(plate(FACE, **values))
    assert session.plan.setup_answers.complete
    setup, sheet = SetupSheet(session, DAY), Sheet(session)
    for widget in (setup, sheet):
        qtbot.addWidget(widget)
        widget.resize(700, 600)
        assert len(colours(widget)) > 3
    assert fields <= {t.field for t in setup.tags}


def test_rows_are_built_when_they_are_seen(qtbot: QtBot) -> None:
    session = Session(new_job())
    session.add_step("drill")
    current = session.current
    assert current is not None
    form = Form()
    qtbot.addWidget(form)

    def show() -> None:
        one = session.current
        assert one is not None
        form.show_form(one.cycle.fields, one.step.values, one.answers, "mm", lambda f: list(f.choices))

    show()
    assert form.rows["points"].built
    assert not form.rows["columns"].built
    assert not form.rows["next_peck"].built
    session.type_value(current.step.id, "pattern", "grid")
    show()
    assert form.rows["columns"].built
    assert form.rows["points"].built
    assert not form.rows["points"].editor.widget.isVisibleTo(form)
    assert form.rows["columns"].editor.widget.isVisibleTo(form)


def test_deviation_has_a_word_for_every_class(demo: Person) -> None:
    demo.checked()
    checked = demo.window.session.checked
    classes = deviation(checked.field.heights, checked.field.target)
    assert DEVIATIONS[2][0] == "right"
    assert (classes == 2).mean() > 0.99
    low = checked.field.heights.copy()
    low[0, 0], low[0, 1], low[0, 2] = (
        checked.field.target[0, 0] - 1,
        checked.field.target[0, 1] + 0.2,
        checked.field.target[0, 2] + 5,
    )
    assert deviation(low, checked.field.target)[0, :3].tolist() == [0, 3, 4]
    demo.control(__import__("PyQt6.QtCore", fromlist=["Qt"]).Qt.Key.Key_3)
    pane = demo.window.solid
    pane.compare.click()
    demo.settle()
    assert "too low" in pane.legend.text()
    assert pane.legend.isVisible()
    pane.compare.click()
    assert not pane.legend.isVisible()


def test_power_is_shown_only_where_it_can_be_said() -> None:
    shares = {s.step.id: s.cycle.power_share(s.answers.values, s.work) for s in plan(demo_job(), moves=False).steps}
    assert shares["bolts"] is None
    assert shares["spots"] is None
    assert all(0 < shares[k] < 1 for k in ("face", "left", "right", "corners"))  # type: ignore[operator]
    assert np.isclose(shares["left"], shares["right"])  # type: ignore[arg-type]
