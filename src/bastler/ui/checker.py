"""Keeps the check up to date: after every change it asks the engine process anew."""

from __future__ import annotations

import itertools

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from bastler.core.messages import Message
from bastler.core.request import Request
from bastler.ui.session import Session
from bastler.ui.worker import Worker

NUMBERS = itertools.count(1)
"""Of requests: no answer to an earlier one, of this job or another, is taken for that of a later one."""
NEWEST = frozenset({"stock"})
"""Of moments that are asked for only the last one is answered."""
QUIET_MS = 120
"""A change is checked once nobody has typed for this long."""


class Checker(QObject):
    """Asks, and puts the answer into the session."""

    progress = pyqtSignal(float)
    stock_ready = pyqtSignal(object)
    trouble = pyqtSignal(str)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.worker = Worker("bastler.core.server", NEWEST, self)
        self.worker.answered.connect(self._answer)
        self.worker.died.connect(self._died)
        self._number = 0
        self._asked = session.asked
        self._stock_busy = False
        self._stock_wanted: tuple[int, float] | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.ask)
        session.changed.connect(self.soon)

    def soon(self) -> None:
        """Check after a short quiet."""
        self.worker.calm()
        self.session.checking = 0.0
        self._timer.start(QUIET_MS)

    def ask(self) -> None:
        """Check now."""
        self._number = next(NUMBERS)
        self._asked = (job, at, text) = self.session.asked
        data = text.encode("utf-8", "replace") if text is not None else None
        self._stock_busy, self._stock_wanted = False, None
        self.session.checking = 0.0
        self.worker.send("check", self._number, Request(job, at, data, "Own text" if data else ""))

    @property
    def busy(self) -> bool:
        """Whether a check runs or is about to."""
        return self._timer.isActive() or self.session.checking is not None

    def cancel(self) -> None:
        """Stop the check that runs, or that was about to."""
        if self._timer.isActive():
            self._timer.stop()
            self.session.checking = None
            self.progress.emit(1.0)
        self.worker.send("cancel", self._number)

    def want_stock(self, move: int, share: float) -> None:
        """Ask for the stock at a moment; only the latest wish is answered."""
        self._stock_wanted = (move, share)
        self._next_stock()

    def _next_stock(self) -> None:
        if self._stock_busy or self._stock_wanted is None or self.session.checking is not None:
            return
        self._stock_busy = True
        move, share = self._stock_wanted
        self._stock_wanted = None
        self.worker.send("stock", self._number, move, share)

    def _answer(self, message: Message) -> None:
        match message:
            case ("progress", share):
                self.session.checking = share
                self.progress.emit(share)
            case ("checked", number, checked) if number == self._number:
                self.session.take_check(checked, self._asked)
            case ("cancelled", number):
                if number == self._number and not self._timer.isActive():
                    self.session.checking = None
                    self.progress.emit(1.0)
            case ("stock", number, state):
                self._stock_busy = False
                if number == self._number:
                    self.stock_ready.emit(state)
                self._next_stock()
            case ("refused", text):
                self.session.checking = None
                self._stock_busy = False
                self.progress.emit(1.0)
                self.trouble.emit(text)

    def _died(self, again: bool) -> None:
        """The process ended: what it was asked for, and the moments of what it has checked, need a new one."""
        self._stock_busy = False
        if again:
            self.trouble.emit("The check’s process ended. It was started again by itself and checks anew.")
            self.ask()
        else:
            self.session.checking = None
            self.progress.emit(1.0)
            self.trouble.emit("The check’s process ended again and again with this job. It rests until the next edit.")

    def close(self) -> None:
        """End the process."""
        self._timer.stop()
        self.blockSignals(True)
        self.worker.close()
