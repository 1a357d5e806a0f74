"""Programs written by hand with one fault each: the fault is found, and the mended program beside it is not accused."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from bastler.core.checked import Checked
from bastler.core.engine import Engine
from bastler.core.jobfiles.store import load
from bastler.core.request import Request

FOLDER = Path(__file__).parents[2] / "examples" / "bad"
BAD = sorted(p.stem for p in FOLDER.glob("*.nc") if not p.stem.endswith("-mended"))


def checked(name: str) -> Checked:
    job = load(FOLDER / ("mill.bastler" if name.startswith("mill-") else "lathe.bastler"))
    return Engine().check(Request(job, text=(FOLDER / f"{name}.nc").read_bytes(), name=name))


def test_there_are_enough_of_both_kinds() -> None:
    assert len(BAD) >= 20
    assert sum(name.startswith("mill-") for name in BAD) >= 5


@pytest.mark.parametrize("name", BAD)
def test_the_fault_is_found(name: str) -> None:
    remark = re.search(r"\(([a-z-]+): ", (FOLDER / f"{name}.nc").read_text())
    assert remark is not None, "the second line says what is wrong"
    found = checked(name).findings
    assert remark[1] in {f.kind for f in found}, [f.text for f in found]
    assert all(f.text.endswith((".", ")")) for f in found), "sentences"


@pytest.mark.parametrize("name", BAD)
def test_the_mended_one_is_not_accused(name: str) -> None:
    assert [f for f in checked(f"{name}-mended").findings if f.severity != "note"] == []
