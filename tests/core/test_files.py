"""Saving keeps what is there; what is no file is refused; names that no disk takes get a sentence."""

from __future__ import annotations

import os
import stat
from pathlib import Path

import pytest

from bastler.core import diskfiles
from bastler.core.exchange.dxfread import read_dxf
from bastler.core.exchange.tables import read_tools_csv
from bastler.core.job.document import Job
from bastler.core.jobfiles import store
from bastler.core.problems import Unusable
from tests.jobs import plate


def test_a_link_stays_one_and_permissions_stay(tmp_path: Path) -> None:
    real, link = tmp_path / "shelf" / "real.bastler", tmp_path / "link.bastler"
    real.parent.mkdir()
    store.save(plate(), real)
    real.chmod(0o640)
    link.symlink_to(real)
    store.save(plate().changed(name="second"), link)
    assert link.is_symlink()
    assert store.load(real).name == "second"
    assert stat.S_IMODE(real.stat().st_mode) == 0o640


def test_a_new_file_has_the_permissions_of_the_users_mask(tmp_path: Path) -> None:
    before = os.umask(0o027)
    try:
        store.save(plate(), tmp_path / "new.bastler")
    finally:
        os.umask(before)
    assert stat.S_IMODE((tmp_path / "new.bastler").stat().st_mode) == 0o640


def test_a_second_name_is_told(tmp_path: Path) -> None:
    one, two = tmp_path / "one.bastler", tmp_path / "two.bastler"
    assert store.save(plate(), one) == ""
    two.hardlink_to(one)
    assert "a second name on this disk" in store.save(plate().changed(name="second"), one)
    assert store.load(two).name == "Pressure plate"


def test_pipes_devices_and_folders_are_refused(tmp_path: Path) -> None:
    pipe = tmp_path / "pipe.bastler"
    os.mkfifo(pipe)
    for path, word in ((pipe, "a device or a pipe"), (Path("/dev/zero"), "a device or a pipe"), (tmp_path, "a folder")):
        with pytest.raises(Unusable, match=word):
            diskfiles.write_atomically(path, b"x")
        with pytest.raises(Unusable, match=word):
            store.load(path)
        with pytest.raises(Unusable, match=word):
            read_dxf(path)
        with pytest.raises(Unusable, match=word):
            read_tools_csv(path, "mm")
    assert stat.S_ISFIFO(pipe.stat().st_mode)


def test_the_longest_name_can_be_saved_again_and_again(tmp_path: Path) -> None:
    path = tmp_path / ("n" * 247 + ".bastler")
    store.save(plate(), path)
    store.save(plate().changed(name="second"), path)
    assert store.load(path).name == "second"
    assert [p.name for p in tmp_path.iterdir()] == [path.name], "nothing half done stays"


@pytest.mark.parametrize("name", ["a\0b.bastler", "half \ud83d.bastler", "n" * 300])
def test_names_that_no_disk_takes_get_a_sentence(name: str, tmp_path: Path) -> None:
    for run in (lambda p: store.save(plate(), p), store.load):
        with pytest.raises(Unusable, match="choose a") as told:
            run(tmp_path / name)
        str(told.value).encode()


def test_half_a_character_in_a_name_is_kept_as_a_question_mark(tmp_path: Path) -> None:
    store.save(Job(name="half \ud83d of it"), tmp_path / "x.bastler")
    assert store.load(tmp_path / "x.bastler").name == "half ? of it"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("units,mm\nnumber,kind,name\n1²,drill,x\n", "“1²” is not a tool number"),
        ("units,mm\nnumber,kind,name\n5,drill," + "x" * 200_000 + "\n", "longer than any tool"),
        ("units,mm\nnumber,kind,name\n5,hammer,x\n", "no kind of tool"),
    ],
)
def test_odd_lines_of_a_tool_list_are_left_out_in_words(text: str, says: str, tmp_path: Path) -> None:
    (tmp_path / "tools.csv").write_text(text)
    tools, trouble = read_tools_csv(tmp_path / "tools.csv", "mm")
    assert tools == ()
    assert says in trouble[0]


def test_a_damaged_drawing_gets_a_sentence(tmp_path: Path) -> None:
    whole = (Path(__file__).parent / "golden").glob("*.dxf")
    texts = [
        "",
        "0\nSECTION\n2\nENTITIES\n0\nLINE\n",
        "0\nSECTION\n" * 50,
        "\0" * 100,
        "9\n$ACADVER\n1\nAC9999\n",
        *(f.read_text()[:2000] for f in whole),
    ]
    for i, text in enumerate(texts):
        file = tmp_path / f"{i}.dxf"
        file.write_text(text)
        try:
            read_dxf(file)
        except Unusable as error:
            assert "is not a DXF drawing" in str(error)
