"""The command line as a person types it: files out, reports, exit status, one line for bad input."""

from __future__ import annotations

import json
from pathlib import Path

import ezdxf
import numpy as np
import pytest

from bastler.__main__ import main
from bastler.core.job import store
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
