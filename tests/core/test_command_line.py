"""The command line as a person types it: files out, reports, exit status, one line for bad input."""

from __future__ import annotations

import json
from pathlib import Path

import ezdxf
import numpy as np
import pytest

from bastler.__main__ import main
from bastler.core.job.document import Setup, Step
from bastler.core.jobfiles import store
from tests.jobs import FACE, LEFT, changed, plate


@pytest.fixture
def job(tmp_path: Path) -> Path:
    path = tmp_path / "plate.bastler"
    store.save(plate(), path)
    return path


def bastler(monkeypatch: pytest.MonkeyPatch, *words: object) -> int:
    monkeypatch.setattr("sys.argv", ["bastler", *map(str, words)])
    return main()


def test_post_then_check_the_text(
    job: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    program = tmp_path / "plate.nc"
    assert bastler(monkeypatch, "post", job, "-o", program) == 0
    capsys.readouterr()
    assert bastler(monkeypatch, "check", program, "--job", job, "--json") == 0
    report = json.loads(capsys.readouterr().out)
    assert set(report) == {
        "program",
        "units",
        "lines",
        "moves",
        "time_s",
        "tools",
        "steps",
        "stock",
        "extents",
        "findings",
    }
    assert report["findings"] == []
    assert report["lines"] == len(program.read_text().splitlines())
    assert bastler(monkeypatch, "check", job) == 0
    assert "No findings." in capsys.readouterr().out


def test_a_stop_finding_is_exit_status_1(
    job: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    program = tmp_path / "plate.nc"
    bastler(monkeypatch, "post", job, "-o", program)
    program.write_text(program.read_text().replace("Z-12.", "Z-13."))
    assert bastler(monkeypatch, "check", program, "--job", job) == 1
    out = capsys.readouterr().out
    assert "gouge" in out
    assert "1 mm deeper" in out


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("check", "none.bastler"), "does not exist"),
        (("check", "none.nc"), "does not exist"),
        (("post", "{job}", "-o", "{tmp}/none/x.nc"), "does not exist"),
        (("post", "{job}", "-o", "{tmp}/x.nc", "--dialect", "other"), "Dialect “other” is unknown"),
        (("post", "{job}", "-o", "{tmp}/x.nc", "--setup", "2"), "There is no setup 2"),
        (("check", "{binary}", "--job", "{job}"), "not a G-code text"),
        (("check", "{empty}", "--job", "{job}"), "is empty"),
        (("check", "{broken}"), "damaged"),
        (("check", "{asking}"), "Step 2 (Pocket left): Length is not answered yet"),
        (("check", "{toolless}"), "not usable from the tool table"),
        (("post", "{job}"), "Missing option"),
        (("export", "{job}"), "Say what to write"),
        (("check",), "Missing argument"),
        (("frobnicate", "x"), "not understood"),
        (("none.bastler",), "does not exist"),
    ],
)
def test_bad_input_is_one_line_and_exit_status_2(
    words: tuple[str, ...],
    says: str,
    job: Path,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    monkeypatch.chdir(tmp_path)
    files = {
        name: tmp_path / f"{name}.{end}"
        for name, end in (
            ("binary", "nc"),
            ("empty", "nc"),
            ("broken", "bastler"),
            ("asking", "bastler"),
            ("toolless", "bastler"),
        )
    }
    files["binary"].write_bytes(bytes(range(256)) * 4)
    files["empty"].write_text("")
    files["broken"].write_text(job.read_text()[:-40])
    store.save(plate(FACE, changed(LEFT, length="")), files["asking"])
    store.save(plate(FACE, changed(LEFT, tool="44")), files["toolless"])
    before = job.read_bytes()
    assert bastler(monkeypatch, *(w.format(job=job, tmp=tmp_path, **files) for w in words)) == 2
    err = capsys.readouterr().err
    assert says in err
    assert err.count("\n") == 1
    assert "Traceback" not in err
    assert job.read_bytes() == before


def test_exports_are_read_back_by_others(job: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    stl, dxf = tmp_path / "plate.stl", tmp_path / "plate.dxf"
    assert bastler(monkeypatch, "export", job, "--stl", stl, "--dxf", dxf) == 0
    raw = np.frombuffer(stl.read_bytes()[84:], np.dtype([("n", "<f4", 3), ("v", "<f4", (3, 3)), ("a", "<u2")]))
    v = raw["v"].astype(float)
    volume = np.einsum("ij,ij->i", v[:, 0], np.cross(v[:, 1], v[:, 2])).sum() / 6
    exact = 204 * 124 * 20 - 2 * (2400 - (4 - np.pi) * 36) * 12 - np.pi * (6 * 3.4**2 + 4 * 4.25**2) * 20
    assert volume == pytest.approx(exact, rel=0.002)
    space = ezdxf.readfile(dxf).modelspace()
    assert len(space.query("CIRCLE")) == 10
    assert {round(a.dxf.radius, 3) for a in space.query("ARC")} == {6.0}


def test_schema_and_version(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    assert bastler(monkeypatch, "schema") == 0
    assert json.loads(capsys.readouterr().out)["title"] == "Job"
    assert bastler(monkeypatch, "--version") == 0
    assert bastler(monkeypatch, "--help") == 0


# several setups, copies


@pytest.fixture
def two_sides(tmp_path: Path) -> Path:
    path = tmp_path / "sides.bastler"
    first = plate(FACE, LEFT)
    recess = changed(LEFT, centre_x="100", length="30", width="20").changed(id="recess")
    back = Setup(
        steps=(recess,), values={"stock_kind": "before", "turned_over": "y", "grip": "6", "program_number": "2"}
    )
    store.save(first.changed(setups=(*first.setups, back)), path)
    return path


def test_every_setup_has_a_program_and_a_check_of_its_own(
    two_sides: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    for number, step in (("1", "Face"), ("2", "Pocket")):
        program = tmp_path / f"{number}.nc"
        assert bastler(monkeypatch, "post", two_sides, "-o", program, "--setup", number) == 0
        assert f"O000{number}" in program.read_text()
        capsys.readouterr()
        assert bastler(monkeypatch, "check", two_sides, "--setup", number, "--json") == 0
        report = json.loads(capsys.readouterr().out)
        assert report["steps"][0]["name"].startswith(step)
        assert report["findings"] == []
        assert bastler(monkeypatch, "check", program, "--job", two_sides, "--setup", number) == 0
    left = report["stock"]["volume_before_mm3"]
    assert left == pytest.approx(204 * 124 * 20 - (60 * 40 - (4 - np.pi) * 36) * 12, rel=2e-3)


def test_a_setup_that_is_not_there_is_told(
    two_sides: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    for number in ("0", "3"):
        assert bastler(monkeypatch, "check", two_sides, "--setup", number) == 2
        assert f"There is no setup {number}; the job has 2." in capsys.readouterr().err


def test_the_sheet_of_a_further_setup_names_it(
    two_sides: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("QT_QPA_PLATFORM", "offscreen")
    page = tmp_path / "sheet.html"
    assert bastler(monkeypatch, "export", two_sides, "--html", page, "--setup", "2") == 0
    assert "Pressure plate, setup 2 of 2" in page.read_text()


@pytest.mark.parametrize(("dialect", "calls"), [("iso-mill", 3), ("iso-mill-plain", 0)])
def test_copies_are_posted_as_the_dialect_can(
    dialect: str, calls: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    path, program = tmp_path / "copies.bastler", tmp_path / "copies.nc"
    small = changed(LEFT, centre_x="30", centre_y="30", length="24", width="14", corner="5.5", depth="4")
    again = Step(id="again", cycle="repeat", values={"steps": "left", "points": "90, 30; 150, 30; 90, 90"})
    store.save(plate(FACE, small, again), path)
    assert bastler(monkeypatch, "post", path, "-o", program, "--dialect", dialect) == 0
    assert program.read_text().count("M98 P") == calls
    assert bastler(monkeypatch, "check", program, "--job", path) == 0
    assert bastler(monkeypatch, "export", path, "--dxf", tmp_path / "copies.dxf") == 0
    layers = {e.dxf.layer for e in ezdxf.readfile(tmp_path / "copies.dxf").modelspace()}
    assert "03-repeat" in layers


def test_a_text_is_checked_in_the_dialect_that_it_was_posted_in(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    spindle, program = Path(__file__).parents[2] / "examples" / "spindle.bastler", tmp_path / "spindle.nc"
    assert bastler(monkeypatch, "post", spindle, "-o", program, "--dialect", "iso-lathe-b") == 0
    capsys.readouterr()
    assert bastler(monkeypatch, "check", program, "--job", spindle, "--dialect", "iso-lathe-b", "--json") == 0
    assert json.loads(capsys.readouterr().out)["findings"] == []
    assert bastler(monkeypatch, "check", program, "--job", spindle) == 1, (
        "G95 and G92 mean nothing of the kind to the machine's own dialect"
    )
    capsys.readouterr()
    assert bastler(monkeypatch, "check", program, "--job", spindle, "--dialect", "iso-mill") == 2
    assert "isn't for Small lathe" in capsys.readouterr().err
    assert bastler(monkeypatch, "check", program, "--job", spindle, "--dialect", "iso-lathe-z") == 2
    assert "Known: iso-lathe-a" in capsys.readouterr().err
    assert bastler(monkeypatch, "check", program, "--dialect", "iso-lathe-b") in (0, 1), (
        "without a job: words, motion and time"
    )
    assert "G92" not in capsys.readouterr().out
