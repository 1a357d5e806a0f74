"""Processes that work for the window: requests go out, answers come back on the UI thread.

Two threads pickle and send, receive and unpickle, so the window never waits for the other side; of a
message that only its newest version matters, older ones still waiting are dropped. A process that dies
is started anew at the next request and the person is told.
"""

from __future__ import annotations

import sys
import threading
from collections import deque
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

if TYPE_CHECKING:
    import subprocess

NEWEST_ONLY = frozenset({"stock", "tool", "resize", "paths", "section", "number", "marker"})


class Worker(QObject):
    """A child process ``python -m MODULE FD`` that speaks pickled tuples."""

    answered = pyqtSignal(object)
    died = pyqtSignal(str)

    def __init__(self, module: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.module = module
        self._process: subprocess.Popen[bytes] | None = None
        self._connection: Any = None
        self._threads: list[threading.Thread] = []
        self._waiting: deque[tuple[Any, ...]] = deque()
        self._news = threading.Condition()
        self._closing = False

    def send(self, *message: Any) -> None:
        """Hand over a message, starting the process if it doesn't run; never waits."""
        if self._process is None or self._process.poll() is not None:
            self._start()
        with self._news:
            if message[0] in NEWEST_ONLY:
                self._waiting = deque(m for m in self._waiting if m[0] != message[0])
            self._waiting.append(message)
            self._news.notify()

    def _start(self) -> None:
        import socket
        import subprocess
        from multiprocessing.connection import Connection

        ours, theirs = socket.socketpair()
        theirs.set_inheritable(True)
        self._process = subprocess.Popen(
            [sys.executable, "-m", self.module, str(theirs.fileno())],
            pass_fds=[theirs.fileno()],
            stdin=subprocess.DEVNULL,
        )
        theirs.close()
        self._connection = Connection(ours.detach())
        with self._news:
            self._waiting.clear()
            self._news.notify_all()
        work = (self._connection, self._process)
        self._threads = [threading.Thread(target=t, args=work, daemon=True) for t in (self._read, self._write)]
        for thread in self._threads:
            thread.start()

    def _write(self, connection: Any, process: subprocess.Popen[bytes]) -> None:
        while True:
            with self._news:
                while not self._waiting and process is self._process and not self._closing:
                    self._news.wait(1.0)
                if process is not self._process or self._closing:
                    return
                message = self._waiting.popleft()
            try:
                connection.send(message)
            except (OSError, ValueError):
                return

    def _read(self, connection: Any, process: subprocess.Popen[bytes]) -> None:
        while True:
            try:
                message = connection.recv()
            except (EOFError, OSError, ValueError):
                break
            if self._closing:
                return
            self.answered.emit(message)
        if not self._closing:
            process.wait()
            self.died.emit("The check was interrupted; the next edit starts it anew.")

    def close(self) -> None:
        """End the process and the reader."""
        self._closing = True
        if self._connection is not None and self._process is not None:
            self._process.terminate()
            self._process.wait()
            with self._news:
                self._waiting.clear()
                self._news.notify_all()
            for thread in self._threads:
                thread.join(2)
            self._connection.close()
            self._connection = self._process = None
            self._threads = []
