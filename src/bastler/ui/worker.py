"""Processes that work for the window: requests go out, answers come back on the UI thread.

A reader thread receives and unpickles, so the window never waits; a process that dies is started
anew at the next request and the person is told.
"""

from __future__ import annotations

import socket
import subprocess
import sys
import threading
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal


class Worker(QObject):
    """A child process ``python -m MODULE FD`` that speaks pickled tuples."""

    answered = pyqtSignal(object)
    died = pyqtSignal(str)

    def __init__(self, module: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.module = module
        self._process: subprocess.Popen[bytes] | None = None
        self._connection: Any = None
        self._thread: threading.Thread | None = None
        self._closing = False

    def send(self, *message: Any) -> None:
        """Send a message, starting the process if it doesn't run."""
        if self._process is None or self._process.poll() is not None:
            self._start()
        try:
            self._connection.send(message)
        except (OSError, ValueError):
            self.died.emit(f"{self.module} has stopped; it is started anew.")

    def _start(self) -> None:
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
        self._thread = threading.Thread(target=self._read, args=(self._connection, self._process), daemon=True)
        self._thread.start()

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
            if self._thread is not None:
                self._thread.join(2)
            self._connection.close()
            self._connection = self._process = self._thread = None
