"""Papers, tables and units: written, read back, and refused in words."""

from __future__ import annotations

import csv
import datetime
import os
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.__main__ import main
from bastler.core.demo import demo_job
from bastler.core.engine import Engine
from bastler.core.exchange.setupsheet import collect, html
from bastler.core.exchange.tables import read_tools_csv, write_csv, write_tools
from bastler.core.jobfiles import store
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan
from bastler.core.problems import Unusable
from bastler.core.quantities import Kind, evaluate
from bastler.core.request import Request
from tests.jobs import HOLE_TOOLS, TOOLS, plate


@pytest.fixture(scope="module")
def checked():  # type: ignore[no-untyped-def]
    return Engine().check(Request(demo_job(), cell=0.5))


def test_the_sheet_tells_tools_steps_and_times(checked) -> None:  # type: ignore[no-untyped-def]
    planned = plan(demo_job())
    sheet = collect(planned, checked, datetime.date(2026, 11, 24))
    assert [t.number for t in sheet.tools] == list(dict.fromkeys(checked.motion.tool.tolist()))[-len(sheet.tools) :]
    assert [s.number for s in sheet.steps if s.number] == [str(i) for i in range(1, 8)]
    assert [s.name for s in sheet.steps if not s.number][:3] == ["– Spot 6 × Ø8.5", "– Drill 6 × Ø6.8", "– Tap 6 × M8"]
    assert ("Work offset", "G54") in sheet.facts
    assert any("204 × 124 × 22 mm" in text for _, text in sheet.facts)
    page = html(sheet, {"setup": "s.png", "part": "p.png", **{f"tool{t.number}": "t.png" for t in sheet.tools}})
    for word in ("Pressure plate", "2026-11-24", "reamer 8 H7", "No findings.", 'src="p.png"'):
        assert word in page
    with pytest.raises(Exception, match="setup"):
        html(sheet, {})


def test_names_can_not_break_the_page(checked) -> None:  # type: ignore[no-untyped-def]
    job = demo_job().changed(name="<b>plate & more</b>")
    sheet = collect(plan(job), checked)
    pictures = {"setup": "", "part": "", **{f"tool{t.number}": "" for t in sheet.tools}}
    assert "&lt;b&gt;plate &amp; more&lt;/b&gt;" in html(sheet, pictures)


def test_pdf_and_page_on_the_command_line(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setitem(os.environ, "QT_QPA_PLATFORM", "offscreen")
    job, pdf, page, table = (tmp_path / n for n in ("plate.bastler", "s.pdf", "s.html", "s.csv"))
    store.save(plate(), job)
    monkeypatch.setattr(
        "sys.argv", ["bastler", "export", str(job), "--pdf", str(pdf), "--html", str(page), "--csv", str(table)]
    )
    assert main() == 0
    assert pdf.read_bytes().startswith(b"%PDF")
    assert pdf.stat().st_size > 20_000
    assert "2 pages" in capsys.readouterr().out
    assert page.read_text().count("data:image/png;base64,") == 2 + 4
    rows = list(csv.DictReader(table.read_text().splitlines()))
    assert [r["name"] for r in rows][:2] == ["Face whole top", "Pocket left"]
    assert float(rows[0]["removed_mm3"]) == pytest.approx(204 * 124 * 2, rel=0.01)


def test_the_table_of_steps(checked, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    assert write_csv(plan(demo_job()), checked, tmp_path / "steps.csv") == 8


# tools as CSV


def test_tools_come_back_as_they_were_typed(tmp_path: Path) -> None:
    path = tmp_path / "tools.csv"
    assert write_tools((*TOOLS, *HOLE_TOOLS), "mm", path) == len(TOOLS) + len(HOLE_TOOLS)
    tools, trouble = read_tools_csv(path, "mm")
    assert trouble == ()
    assert tools == (*TOOLS, *HOLE_TOOLS)


def test_a_damaged_line_is_named_and_the_rest_is_read(tmp_path: Path) -> None:
    path = tmp_path / "tools.csv"
    path.write_text(
        "units,mm\nnumber,kind,name,diameter,flute_length\n1,drill,good,5,50\nx,drill,bad,5,50\n3,hammer,bad,5,50\n4,drill,bad,1/0,50\n5,drill,also good,6,60\n"
    )
    tools, trouble = read_tools_csv(path, "mm")
    assert [t.number for t in tools] == [1, 5]
    assert [t.split(" was")[0] for t in trouble] == ["Line 4", "Line 5", "Line 6"]
    assert "divides by zero" in trouble[2]


@pytest.mark.parametrize(
    ("text", "says"),
    [("", "doesn't say its units"), ("number,kind,name\n", "doesn't say its units"), ("units,inch\nnumber,kind,name\n", "is in inch, the job in mm"),
     ("units,mm\nfoo,bar\n1,2\n", "needs the columns")],
)  # fmt: skip
def test_a_file_that_is_no_tool_table(text: str, says: str, tmp_path: Path) -> None:
    path = tmp_path / "tools.csv"
    path.write_text(text)
    with pytest.raises(Unusable, match=says):
        read_tools_csv(path, "mm")


@pytest.mark.parametrize(("head", "given"), [("units,inch\n", "inch"), ("", "inch"), ("units,furlong\n", "inch")])
def test_a_list_in_other_units_is_converted_as_the_person_says(head: str, given: str, tmp_path: Path) -> None:
    path = tmp_path / "tools.csv"
    path.write_text(head + "number,kind,name,diameter,flute_length,holder\n1,end-mill,half inch,1/2,1,1.5 x 2\n")
    (tool,), trouble = read_tools_csv(path, "mm", given)  # type: ignore[arg-type]
    assert trouble == ()
    made = plan(plate(tools=(tool,))).tools[1]
    assert (made.diameter, made.flute_length) == (pytest.approx(12.7), pytest.approx(25.4))
    assert made.holder == ((pytest.approx(38.1), pytest.approx(50.8)),)
    (kept,), _ = read_tools_csv(path, "inch", given)  # type: ignore[arg-type]
    assert kept.values["diameter"] == "1/2"


def test_a_missing_or_binary_tool_file(tmp_path: Path) -> None:
    with pytest.raises(Unusable, match="does not exist"):
        read_tools_csv(tmp_path / "none.csv", "mm")
    (tmp_path / "b.csv").write_bytes(b"\xff\xfe\x00")
    with pytest.raises(Unusable, match="not a text"):
        read_tools_csv(tmp_path / "b.csv", "mm")


# units


def test_sizes_are_kept_in_both_directions() -> None:
    job = demo_job()
    there = in_units(job, "inch", keep_size=True)
    assert there.units == "inch"
    assert there.setups[0].steps[1].values["length"] == "2.3622"
    assert there.setups[0].steps[1].values["centre_y"] == "(120/2)mm"
    a, b = plan(job, moves=False), plan(there, moves=False)
    for one, other in zip(a.frame.block.size, b.frame.block.size, strict=True):
        assert other == pytest.approx(one, abs=1e-3)
    for one, other in zip(a.steps, b.steps, strict=True):
        assert len(one.removals) == len(other.removals)
        for p, q in zip(one.removals, other.removals, strict=True):
            assert q.bounds() == pytest.approx(p.bounds(), abs=2e-3)
    back = plan(in_units(there, "mm", keep_size=True), moves=False)
    assert back.frame.block.size == pytest.approx(a.frame.block.size, abs=1e-3)


def test_numbers_are_kept_when_asked() -> None:
    job = demo_job()
    there = in_units(job, "inch", keep_size=False)
    assert there.setups == job.setups
    assert plan(there, moves=False).frame.block.size[1] == pytest.approx(124 * 25.4)
    assert in_units(job, "mm", keep_size=True) is job


@given(st.floats(-500, 500).map(lambda v: round(v, 3)))
def test_one_number_keeps_its_size(value: float) -> None:
    job = plate()
    step = job.setups[0].steps[1].changed(values={"centre_x": str(value), "points": f"{value}, 2*3; 1in, {value}"})
    there = in_units(job.with_setup(job.setups[0].changed(steps=(step,))), "inch", keep_size=True)
    typed = there.setups[0].steps[0].values
    assert evaluate(typed["centre_x"], Kind.LENGTH, "inch") == pytest.approx(value, abs=2e-4)


# pictures and shapes


def test_the_sheet_as_svg_and_the_finished_shape_as_stl(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(os.environ, "QT_QPA_PLATFORM", "offscreen")
    job, svg, shape, cut = (tmp_path / n for n in ("plate.bastler", "a.svg", "shape.stl", "cut.stl"))
    store.save(plate(), job)
    monkeypatch.setattr(
        "sys.argv", ["bastler", "export", str(job), "--svg", str(svg), "--shape", str(shape), "--stl", str(cut)]
    )
    assert main() == 0
    root = ElementTree.parse(svg).getroot()
    assert root.tag.endswith("svg")
    assert len(list(root.iter("{http://www.w3.org/2000/svg}path"))) > 10
    volumes = [_volume(p) for p in (shape, cut)]
    exact = 204 * 124 * 20 - 2 * (2400 - (4 - np.pi) * 36) * 12 - np.pi * (6 * 3.4**2 + 4 * 4.25**2) * 20
    assert volumes[0] == pytest.approx(exact, rel=0.002)
    assert volumes[1] == pytest.approx(volumes[0], rel=0.002)


def _volume(path: Path) -> float:
    """Volume of an STL as another library reads it."""
    from vtkmodules.vtkFiltersCore import vtkMassProperties
    from vtkmodules.vtkIOGeometry import vtkSTLReader

    reader, mass = vtkSTLReader(), vtkMassProperties()
    reader.SetFileName(str(path))
    mass.SetInputConnection(reader.GetOutputPort())
    return float(mass.GetVolume())


@pytest.mark.parametrize(("ending", "head"), [("svg", b"<?xml"), ("pdf", b"%PDF"), ("png", b"\x89PNG")])
def test_a_drawing_is_saved_by_its_ending(ending: str, head: bytes, tmp_path: Path) -> None:
    from bastler.ui.application import application
    from bastler.ui.paper import draw_sheet
    from bastler.ui.session import Session
    from bastler.ui.sheets.sheet import Sheet

    application()
    sheet = Sheet(Session(demo_job()))
    sheet.resize(600, 500)
    path = tmp_path / f"sheet.{ending}"
    assert draw_sheet(sheet, path) == path.stat().st_size > 2000
    assert path.read_bytes().startswith(head)
