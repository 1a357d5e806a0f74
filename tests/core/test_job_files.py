"""Job files: round trip, atomic saving, and every kind of bad file in one sentence."""

from __future__ import annotations

import errno
import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.demo import demo_job, new_job
from bastler.core.job.document import SCHEMA, Job
from bastler.core.jobfiles import store
from bastler.core.jobfiles.schema import job_schema
from bastler.core.problems import Unusable
from tests.jobs import plate


def test_round_trip_keeps_what_was_typed(tmp_path: Path) -> None:
    job = plate()
    store.save(job, tmp_path / "plate.bastler")
    again = store.load(tmp_path / "plate.bastler")
    assert again == job
    assert again.setups[0].steps[1].values["centre_y"] == "120/2"


def test_the_demo_file_beside_the_readme_is_the_shipped_one() -> None:
    example = Path(__file__).parents[2] / "examples" / "pressure-plate.bastler"
    assert store.load(example) == demo_job()
    assert new_job().tools


def test_the_file_before_stays_as_backup(tmp_path: Path) -> None:
    path = tmp_path / "plate.bastler"
    store.save(plate(), path)
    store.save(plate().changed(name="second"), path)
    assert store.load(path).name == "second"
    assert store.load(tmp_path / "plate.bastler.backup").name == "Pressure plate"


def test_a_full_disk_leaves_the_good_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "plate.bastler"
    store.save(plate(), path)
    good = path.read_bytes()

    def full(_: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    with pytest.raises(Unusable, match="disk is full"):
        store.save(plate().changed(name="other"), path)
    assert path.read_bytes() == good
    assert sorted(p.name for p in tmp_path.iterdir()) == ["plate.bastler"]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d.update(schema=SCHEMA + 1), "newer Bastler"),
        (lambda d: d.update(schema=0), "no Bastler has written"),
        (lambda d: d.pop("schema"), "no schema number"),
        (lambda d: d["setups"][0]["steps"][1].update(cycle="polish"), "step 2 is of the unknown cycle “polish”"),
        (lambda d: d["setups"][0]["steps"][1].update(surprise=1), "surprise"),
        (lambda d: d["setups"][0]["steps"][1].update(on="maybe"), "damaged at setup 1, step 2, on: yes or no"),
        (lambda d: d["setups"][0].update(work_offset="G99"), "damaged at setup 1, work_offset"),
        (lambda d: d.update(tools=[{"number": "x"}]), "damaged at line 1 of the tool table, number: a whole number"),
        (lambda d: d["setups"][0]["steps"][1]["values"].update(depth=[1]), "damaged at setup 1, step 2, Depth: a text"),
        (lambda d: d["setups"][0]["steps"][1].pop("cycle"), "setup 1, step 2: the entry “cycle” is missing"),
        (
            lambda d: d["tools"][0]["values"].update(diameter="9" * 30_000),
            "the tool table, Diameter: the text is longer",
        ),
        (lambda d: d.update(setups=[]), "damaged at setups: the list is empty"),
        (lambda d: d["setups"][0]["steps"][1].update(id="face"), "same id"),
    ],
)
def test_a_bad_file_is_told_by_place_and_remedy(change, says: str, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    data = json.loads(store.dump(plate()))
    change(data)
    path = tmp_path / "bad.bastler"
    path.write_text(json.dumps(data))
    with pytest.raises(Unusable, match=says) as caught:
        store.load(path)
    assert "\n" not in str(caught.value)
    assert json.loads(path.read_text()) == data


@pytest.mark.parametrize("raw", [b"", b"\x00\x01\x02", b"{", b"[1]", b"null", b"[" * 100_000, "ü".encode("latin-1")])
def test_what_is_no_job_at_all(raw: bytes) -> None:
    with pytest.raises(Unusable):
        store.parse(raw, "x.bastler")


@given(st.integers(0, 3000), st.integers(0, 255))
def test_one_damaged_byte_is_told_or_harmless(at: int, byte: int) -> None:
    data = bytearray(store.dump(plate()))
    data[at % len(data)] = byte
    try:
        assert isinstance(store.parse(bytes(data), "x.bastler"), Job)
    except Unusable as error:
        assert "\n" not in str(error)


def test_missing_and_locked(tmp_path: Path) -> None:
    with pytest.raises(Unusable, match="does not exist"):
        store.load(tmp_path / "none.bastler")
    with pytest.raises(Unusable, match="does not exist"):
        store.save(plate(), tmp_path / "none" / "x.bastler")
    with pytest.raises(Unusable, match="folder"):
        store.load(tmp_path)


def test_migrations_run_in_order_on_a_copy(monkeypatch: pytest.MonkeyPatch) -> None:
    old = {"schema": -1, "title": "Old plate"}

    def to_0(d: dict) -> dict:  # type: ignore[type-arg]
        return {"label": d.pop("title")}

    monkeypatch.setattr(store, "MIGRATIONS", {-1: to_0, 0: lambda d: {"name": d["label"]}})
    job = store.parse(json.dumps(old).encode(), "x.bastler")
    assert job.name == "Old plate"
    assert old["title"] == "Old plate"


def test_schema_names_every_cycle_field() -> None:
    text = json.dumps(job_schema())
    for word in ("pocket", "corner", "What radius do the four upright corners have?", "end-mill", "grip"):
        assert word in text
