"""Shipped tables are kept parsed, and read anew when the file has changed."""

import marshal
import os

import pytest

from bastler.core import data


@pytest.fixture
def shipped(tmp_path, monkeypatch):
    monkeypatch.setattr(data, "DATA", tmp_path / "data")
    (tmp_path / "data").mkdir()
    path = tmp_path / "data" / "small.toml"
    path.write_text("size = 4\n")
    return path


def kept(path):
    return list((path.parent / "__pycache__").glob(f"{path.name}.*")) if (path.parent / "__pycache__").exists() else []


def test_a_table_is_kept_and_read_from_there(shipped):
    assert data.table(shipped) == {"size": 4}
    (copy,) = kept(shipped)
    stat = shipped.stat()
    copy.write_bytes(marshal.dumps(((stat.st_mtime_ns, stat.st_size), {"size": 5})))
    assert data.table(shipped) == {"size": 5}


def test_a_changed_table_is_read_anew(shipped):
    data.table(shipped)
    shipped.write_text("size = 6\n")
    os.utime(shipped, ns=(1, 1))
    assert data.table(shipped) == {"size": 6}


@pytest.mark.parametrize("rubbish", [b"", b"\x00", b"not marshal", marshal.dumps(7)])
def test_a_damaged_copy_is_not_believed(shipped, rubbish):
    data.table(shipped)
    (copy,) = kept(shipped)
    copy.write_bytes(rubbish)
    assert data.table(shipped) == {"size": 4}


def test_nothing_is_kept_beside_the_users_own_files(tmp_path):
    path = tmp_path / "own.toml"
    path.write_text("size = 4\n")
    assert data.table(path) == {"size": 4}
    assert not kept(path)


def test_a_broken_table_is_an_error(shipped):
    shipped.write_text("size = = 4\n")
    with pytest.raises(ValueError, match="line 1"):
        data.table(shipped)
