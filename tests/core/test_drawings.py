"""DXF in and out: every kind of line, gaps, doubles, units, blocks, damage."""

from __future__ import annotations

import math
import random
from pathlib import Path as File

import ezdxf
import pytest

from bastler.__main__ import main
from bastler.core.exchange.dxf import write_dxf
from bastler.core.exchange.dxfread import Drawing, read_dxf
from bastler.core.geometry.fitting import chained, through
from bastler.core.geometry.nearest import nearest
from bastler.core.geometry.path import Arc, Line, Path, area
from bastler.core.job.document import ContourRecord
from bastler.core.jobfiles import store
from bastler.core.planner import plan
from bastler.core.planning.contours import read_contour_record
from bastler.core.planning.imported import contour_of, pattern_of
from bastler.core.problems import Unusable
from tests.contours import CONTOURS
from tests.jobs import plate


def drawing(tmp_path: File, draw, code: int = 4, **how) -> Drawing:  # type: ignore[no-untyped-def]
    document = ezdxf.new()
    document.units = code
    draw(document, document.modelspace())
    document.saveas(tmp_path / "a.dxf")
    return read_dxf(tmp_path / "a.dxf", **how)


def test_lines_arcs_bulges_and_circles_close(tmp_path: File) -> None:
    def draw(_, space) -> None:  # type: ignore[no-untyped-def]
        space.add_line((0, 0), (40, 0))
        space.add_arc((40, 10), 10, 270, 90)
        space.add_line((40, 20), (0, 20))
        space.add_line((0, 0), (0, 20))
        space.add_lwpolyline([(60, 0, 1), (80, 0, 1)], format="xyb", close=True)
        space.add_circle((20, 10), 4, dxfattribs={"layer": "holes"})

    found = drawing(tmp_path, draw)
    assert found.units == "mm"
    assert found.layers == {"0": 5, "holes": 1}
    assert not found.left_out
    chains = chained([s.path for s in found.strokes], 0.01)
    assert sorted(round(abs(area(p)), 6) for p in chains.paths) == sorted(
        round(a, 6) for a in (800 + 50 * math.pi, 100 * math.pi, 16 * math.pi)
    )
    assert not chains.gaps
    assert [s.circle for s in found.strokes if s.circle] == [((20.0, 10.0), pytest.approx(4.0))]


def test_inches_become_millimetres_and_no_units_are_asked_for(tmp_path: File) -> None:
    def draw(_, space) -> None:  # type: ignore[no-untyped-def]
        space.add_line((0, 0), (1, 0))

    assert drawing(tmp_path, draw, 1).strokes[0].path.length == pytest.approx(25.4)
    unsaid = drawing(tmp_path, draw, 0)
    assert unsaid.units == ""
    assert drawing(tmp_path, draw, 4, units="inch").units == "inch"
    assert drawing(tmp_path, draw, 0, units="inch").strokes[0].path.length == pytest.approx(25.4)


@pytest.mark.parametrize("error", [0.1, 0.01, 0.001])
def test_curves_are_arcs_within_the_error(tmp_path: File, error: float) -> None:
    def draw(_, space) -> None:  # type: ignore[no-untyped-def]
        space.add_ellipse((0, 0), (30, 0), 0.4)
        space.add_spline([(50, 0), (60, 12), (75, -4), (90, 8)])

    found = drawing(tmp_path, draw, error=error)
    assert 0 < found.error <= error
    ellipse = found.strokes[0].path
    for k in range(400):
        a = math.tau * k / 400
        assert nearest(ellipse, (30 * math.cos(a), 12 * math.sin(a)))[1] <= error
    assert sum(isinstance(e, Arc) for e in ellipse.elements) > 3


def test_gaps_are_closed_and_shown_doubles_dropped(tmp_path: File) -> None:
    def draw(_, space) -> None:  # type: ignore[no-untyped-def]
        space.add_line((0, 0), (20, 0))
        space.add_line((20.02, 0), (20, 15))
        space.add_line((20, 15), (0, 0))
        space.add_line((0, 0), (20, 15))
        space.add_circle((50, 0), 5)
        space.add_circle((50, 0), 5)

    paths = [s.path for s in drawing(tmp_path, draw).strokes]
    loose = chained(paths, 0.001)
    assert sum(p.start == p.end for p in loose.paths) == 1
    closed = chained(paths, 0.05)
    assert closed.doubles == 2
    assert [p.start == p.end for p in closed.paths] == [True, True]
    assert [g.size for g in closed.gaps] == [pytest.approx(0.02)]


def test_blocks_are_opened_3d_and_text_are_left_out_and_told(tmp_path: File) -> None:
    def draw(document, space) -> None:  # type: ignore[no-untyped-def]
        block = document.blocks.new("corner")
        block.add_line((0, 0), (5, 0))
        block.add_arc((5, 5), 5, 270, 360)
        space.add_blockref("corner", (100, 0), dxfattribs={"rotation": 90, "xscale": -1})
        space.add_text("drawn by hand")
        space.add_line((0, 0, 0), (0, 0, 9))
        space.add_3dface([(0, 0, 0), (1, 0, 0), (1, 1, 1)])

    found = drawing(tmp_path, draw)
    assert len(found.strokes) == 2
    assert chained([s.path for s in found.strokes], 0.01).paths[0].length == pytest.approx(5 + 2.5 * math.pi)
    told = " ".join(found.left_out)
    assert "without lines to cut (texts, dimensions, points): 1" in told
    assert "not flat (3-D): 1" in told
    assert "3DFACE" in told


def test_a_damaged_file_is_read_or_refused_in_a_sentence(tmp_path: File) -> None:
    def draw(_, space) -> None:  # type: ignore[no-untyped-def]
        for k in range(5):
            space.add_line((k, 0), (k + 1, 0))

    drawing(tmp_path, draw)
    good = (tmp_path / "a.dxf").read_bytes()
    rng = random.Random(1)
    file = tmp_path / "bad.dxf"
    for _ in range(25):
        bad = bytearray(good)
        for _ in range(rng.choice((1, 20))):
            bad[rng.randrange(len(bad))] = rng.randrange(256)
        if rng.random() < 0.3:
            del bad[rng.randrange(len(bad)) :]
        file.write_bytes(bytes(bad))
        try:
            read_dxf(file)
        except Unusable as error:
            assert str(error).startswith("bad.dxf")
    for rubbish in (b"", b"hello", b"\x00\xff" * 300, b"0\nSECTION\n"):
        file.write_bytes(rubbish)
        try:
            assert not read_dxf(file).strokes
        except Unusable as error:
            assert "bad.dxf" in str(error)
    with pytest.raises(Unusable, match="can't be read"):
        read_dxf(tmp_path / "nowhere.dxf")


@pytest.mark.parametrize("units", ["mm", "inch"])
def test_a_chain_becomes_a_contour_of_the_same_shape(tmp_path: File, units: str) -> None:
    def draw(_, space) -> None:  # type: ignore[no-untyped-def]
        space.add_lwpolyline([(10, 10, 0), (50, 10, 0.4), (50, 40, -0.2), (10, 40, 0)], format="xyb", close=True)

    path = chained([s.path for s in drawing(tmp_path, draw).strokes], 0.01).paths[0]
    record = contour_of(path, "tray", (10, 10), units)  # type: ignore[arg-type]
    assert record is not None
    solved = read_contour_record(record, units)  # type: ignore[arg-type]
    assert solved.closed
    assert solved.path is not None
    assert solved.path.length == pytest.approx(path.length, abs=1e-4)
    assert area(solved.path) == pytest.approx(area(path), abs=1e-3)


def test_circles_become_a_pattern() -> None:
    pattern = pattern_of([(10, 20), (30, 20.5)], "holes", (10, 0), "mm")
    assert pattern.values == {"pattern": "points", "points": "0, 20; 20, 20.5"}


def test_the_jobs_contours_go_out_and_come_back(tmp_path: File) -> None:
    job = plate().changed(contours=(*CONTOURS, ContourRecord(name="a/b: c", values=dict(CONTOURS[3].values))))
    planned = plan(job)
    write_dxf(planned, tmp_path / "out.dxf")
    found = read_dxf(tmp_path / "out.dxf")
    smooth = planned.contours["~smooth"].path
    back = chained([s.path for s in found.strokes if s.layer == "contour smooth"], 0.001).paths
    assert len(back) == 1
    assert back[0].length == pytest.approx(smooth.length)  # type: ignore[union-attr]


def test_points_on_a_line_and_on_a_circle_are_one_element() -> None:
    straight, off = through([(float(k), 2.0 * k) for k in range(20)], 0.001)
    assert straight.elements == (Line((19.0, 38.0)),)
    assert off < 1e-9
    points = [(10 * math.cos(a / 10), 10 * math.sin(a / 10)) for a in range(25)]
    curved, _ = through(points, 0.001)
    assert len(curved.elements) == 1
    assert isinstance(curved.elements[0], Arc)
    assert curved.elements[0].centre == pytest.approx((0, 0), abs=1e-9)
    assert Path(points[0], curved.elements).length == pytest.approx(24)


def test_a_drawing_comes_into_a_job_by_command(
    tmp_path: File, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    def draw(_, space) -> None:  # type: ignore[no-untyped-def]
        space.add_lwpolyline([(10, 10), (50, 10), (50.01, 40)], dxfattribs={"layer": "part"})
        space.add_line((50, 40), (10, 10), dxfattribs={"layer": "part"})
        space.add_circle((20, 20), 4, dxfattribs={"layer": "holes"})

    drawing(tmp_path, draw, 0)
    job = tmp_path / "job.bastler"
    store.save(plate(), job)

    def run(*words: str) -> tuple[int, str]:
        monkeypatch.setattr("sys.argv", ["bastler", "import", str(tmp_path / "a.dxf"), "--into", str(job), *words])
        code = main()
        out = capsys.readouterr()
        return code, out.out + out.err

    code, said = run()
    assert code == 2
    assert "doesn't say its units" in said
    assert run("--units", "mm", "--layers", "walls")[1].count("has no layer walls; it has part, holes") == 1
    code, said = run("--units", "mm", "--layers", "part")
    assert code == 0
    assert "1 contours more, 1 of them closed" in said
    assert "gap of 0.0100 mm closed" in said
    (contour,) = store.load(job).contours
    assert read_contour_record(contour, "mm").closed
