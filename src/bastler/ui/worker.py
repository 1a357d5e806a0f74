"""Processes that work for the window: requests go out, answers come back on the UI thread.

Two threads pickle and send, receive and unpickle, so the window never waits for the other side; of a
message that only its newest version matters, older ones still waiting are dropped. A process that dies
is told by :attr:`Worker.died`; whoever owns the worker sends again what it had been given.
"""

from __future__ import annotations

import sys
import threading
import time
from collections import deque
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from bastler.core import faults
from bastler.core.messages import Message

if TYPE_CHECKING:
    import subprocess
    from multiprocessing.connection import Connection

MOST_DEATHS, DEATHS_WITHIN_S = 5, 60.0
"""A process that dies so often in a row is not started again by itself: the same work would end it once more."""


def launched(module: str) -> tuple[subprocess.Popen[bytes], Connection]:
    """A process that runs a module, and the connection to it. ``-P``: the folder that happens to be the current one supplies no modules."""
    import socket
    import subprocess
    from multiprocessing.connection import Connection

    ours, theirs = socket.socketpair()
    theirs.set_inheritable(True)
    process = subprocess.Popen(
        [sys.executable, "-P", "-m", module, str(theirs.fileno())],
        pass_fds=[theirs.fileno()],
        stdin=subprocess.DEVNULL,
    )
    theirs.close()
    return process, Connection(ours.detach())


class Worker(QObject):
    """A child process that speaks pickled tuples."""

    answered = pyqtSignal(object)
    died = pyqtSignal(bool)
    """Whether it may be started again at once."""

    def __init__(self, module: str, newest: frozenset[str], parent: QObject | None = None) -> None:
        """``newest``: messages of which only the last one matters, by their word."""
        super().__init__(parent)
        self.module, self._newest = module, newest
        self._process: subprocess.Popen[bytes] | None = None
        self._connection: Connection | None = None
        self._threads: list[threading.Thread] = []
        self._waiting: deque[Message] = deque()
        self._news = threading.Condition()
        self._closing = False
        self._deaths: deque[float] = deque(maxlen=MOST_DEATHS)

    @property
    def pid(self) -> int | None:
        """The process's number while there is one."""
        return self._process.pid if self._process is not None else None

    def calm(self) -> None:
        """Something else is asked for: deaths so far don't count."""
        self._deaths.clear()

    def send(self, *message: object) -> None:
        """Hand over a message, starting the process if it doesn't run; never waits."""
        if self._process is None or self._process.poll() is not None:
            self._start()
        with self._news:
            if message[0] in self._newest:
                self._waiting = deque(m for m in self._waiting if m[0] != message[0])
            self._waiting.append(message)
            self._news.notify()

    def _start(self) -> None:
        self._process, self._connection = launched(self.module)
        with self._news:
            self._waiting.clear()
            self._news.notify_all()
        work = (self._connection, self._process)
        self._threads = [threading.Thread(target=t, args=work, daemon=True) for t in (self._read, self._write)]
        for thread in self._threads:
            thread.start()

    def _write(self, connection: Connection, process: subprocess.Popen[bytes]) -> None:
        while True:
            with self._news:
                while not self._waiting and process is self._process and not self._closing:
                    self._news.wait(1.0)
                if process is not self._process or self._closing:
                    return
                message = self._waiting.popleft()
            try:
                connection.send(message)
            except OSError:
                return
            except Exception as error:  # a message that can't be pickled: the next one may be
                faults.record(error, f"message {message[0]} to {self.module}")

    def _read(self, connection: Connection, process: subprocess.Popen[bytes]) -> None:
        while True:
            try:
                message = connection.recv()
            except (EOFError, OSError):
                break
            except Exception as error:  # half a message: nothing that comes behind it can be read either
                faults.record(error, f"answer of {self.module}")
                process.kill()
                break
            if self._closing:
                return
            self.answered.emit(message)
        if not self._closing:
            process.wait()
            self._deaths.append(time.monotonic())
            often = len(self._deaths) == MOST_DEATHS and self._deaths[-1] - self._deaths[0] < DEATHS_WITHIN_S
            self.died.emit(not often)

    def close(self) -> None:
        """End the process and the reader."""
        self._closing = True
        if self._connection is not None and self._process is not None:
            self._process.terminate()
            self._process.wait()
            self._end_threads()
            self._connection.close()
            self._connection = self._process = None

    def _end_threads(self) -> None:
        with self._news:
            self._waiting.clear()
            self._news.notify_all()
        for thread in self._threads:
            thread.join(2)
        self._threads = []
