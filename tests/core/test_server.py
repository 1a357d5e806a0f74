"""The engine's process: the messages of a check, newer requests, trouble in words."""

from __future__ import annotations

import socket
import threading
from collections.abc import Iterator
from multiprocessing.connection import Connection

import pytest

from bastler.core import faults
from bastler.core.request import Request
from bastler.core.server import serve
from tests.jobs import FACE, LEFT, plate

CELL = 0.5


@pytest.fixture
def line() -> Iterator[Connection]:
    ours, theirs = (Connection(s.detach()) for s in socket.socketpair())
    thread = threading.Thread(target=serve, args=(theirs,), daemon=True)
    thread.start()
    yield ours
    ours.close()
    thread.join(5)
    theirs.close()
    assert not thread.is_alive()


def answer(line: Connection, word: str) -> tuple:  # type: ignore[type-arg]
    """The next answer of a kind; progress in between is passed over."""
    while True:
        assert line.poll(60)
        message = line.recv()
        if message[0] == word:
            return tuple(message)
        assert message[0] in ("progress", "cancelled"), message


def test_a_check_and_the_stock_of_a_moment(line: Connection) -> None:
    line.send(("check", 1, Request(plate(FACE, LEFT), cell=CELL)))
    _, number, checked = answer(line, "checked")
    assert number == 1
    assert checked.findings == ()
    line.send(("stock", 1, len(checked.motion) - 1, 1.0))
    _, _, (heights, _) = answer(line, "stock")
    assert (heights == checked.field.heights).all()


def test_only_the_newest_of_several_requests_is_answered(line: Connection) -> None:
    for number in range(1, 6):
        line.send(("check", number, Request(plate(FACE, LEFT), cell=CELL)))
    seen = []
    while not seen or seen[-1] != 5:
        seen.append(answer(line, "checked")[1])
    assert len(seen) < 5


def test_trouble_comes_as_a_sentence_and_the_line_lives_on(line: Connection) -> None:
    line.send(("stock", 1, 0, 0.0))
    assert "Nothing has been checked yet" in answer(line, "refused")[1]
    line.send(("check", 1, Request(plate(), text=b"\0" * 50, name="x.nc")))
    assert "not a G-code text" in answer(line, "refused")[1]
    line.send(("check", 2, "nonsense"))
    assert "The check failed" in answer(line, "refused")[1]
    assert "Traceback" in faults.log_file().read_text()
    faults.log_file().unlink()
    line.send(("cancel", 2))
    assert answer(line, "cancelled")
    line.send(("check", 3, Request(plate(FACE), cell=CELL)))
    assert answer(line, "checked")[1] == 3
