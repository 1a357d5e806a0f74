"""A window driven as a person would: keys and clicks, waiting only for what a person would see."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from bastler.core.demo import demo_job, new_job
from bastler.core.job.document import Job
from bastler.ui import ask, worker
from bastler.ui.application import application
from bastler.ui.window import Window

PATIENCE_MS = 60_000
CHECK = "bastler.core.server"


@pytest.fixture(scope="session", autouse=True)
def _warm_checks() -> Iterator[None]:
    """The check's process of a closed window goes on with the next one: to start it takes longer than most tests.

    Only while it would see the same user's folders; a process that was ended is not kept.
    """
    idle: list[tuple[str, Any, Any]] = []
    start, close = worker.launched, worker.Worker.close

    def home() -> str:
        return os.environ.get("XDG_DATA_HOME", "")

    def launched(module: str) -> tuple[Any, Any]:
        while module == CHECK and idle and idle[-1][0] == home():
            _, process, connection = idle.pop()
            if process.poll() is None:
                return process, connection
        return start(module)

    def closed(self: worker.Worker) -> None:
        process, connection = self._process, self._connection
        if self.module != CHECK or process is None or process.poll() is not None:
            close(self)
            return
        self._closing, threads = True, list(self._threads)
        with self._news:
            self._waiting.clear()
            self._news.notify_all()
        threads[-1].join(2)  # the one that writes: two at once would mix their words
        if not threads[-1].is_alive():
            connection.send(("cancel", 0))
        self._end_threads()
        if any(t.is_alive() for t in threads):  # it is busy still: two may not read from one connection
            close(self)
            return
        self._process = self._connection = None
        idle.append((home(), process, connection))

    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(worker, "launched", launched)
        patched.setattr(worker.Worker, "close", closed)
        yield
    for _, process, connection in idle:
        process.terminate()
        process.wait()
        connection.close()


class Person:
    """Hands and eyes on one window."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.qtbot = window, qtbot

    def keys(self, text: str) -> None:
        """Character by character, each to whatever has the cursor then; what the window does meanwhile, it does."""
        for character in text:
            QTest.keyClicks(self.focus(), character)
            self.settle()

    def key(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(self.focus(), key, modifiers)
        self.settle()

    def control(self, key: Qt.Key) -> None:
        self.key(key, Qt.KeyboardModifier.ControlModifier)

    def enter(self) -> None:
        self.key(Qt.Key.Key_Return)

    def answer(self, *texts: str) -> None:
        """One answer after another, each with Enter."""
        for text in texts:
            self.keys(text)
            self.enter()

    def focus(self) -> QWidget:
        widget = QApplication.focusWidget()
        assert widget is not None, "nothing has the cursor"
        return widget

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=at or widget.rect().center())
        self.settle()

    def settle(self) -> None:
        for _ in range(4):
            QApplication.processEvents()

    def until(self, done: Callable[[], bool]) -> None:
        self.qtbot.waitUntil(done, timeout=PATIENCE_MS)

    def checked(self) -> None:
        """Wait until the check of the newest edit is there."""
        w = self.window
        self.settle()
        self.until(
            lambda: not w.checker._timer.isActive() and w.session.checking is None and w.session.checked is not None
        )

    def checked_or_refused(self) -> None:
        """Wait until no check runs: its result is there, or it was refused, or cancelled."""
        self.settle()
        self.until(lambda: not self.window.checker.busy)

    def station(self, word: str):  # type: ignore[no-untyped-def]
        """A station, whether the window has got round to building it or not."""
        return self.window._station(word)

    @property
    def steps(self):  # type: ignore[no-untyped-def]
        return self.station("Steps")

    def field(self, key: str) -> QWidget:
        """The editor of a field of the selected step."""
        widget: QWidget = self.steps.form.rows[key].editor.widget
        return widget

    def retype(self, key: str, text: str) -> None:
        """Go to a field of the step form and type anew."""
        self.steps.form.focus_field(key)
        self.settle()
        self.control(Qt.Key.Key_A)
        self.keys(text)
        self.settle()

    def findings(self) -> set[str]:
        self.checked()
        return {f.kind for f in self.window.session.checked.findings if f.severity != "note"}


class Asked(list[str]):
    """What a person was told and asked, in order. ``then``: the words to answer with, one after another; without one they leave."""

    def __init__(self) -> None:
        super().__init__()
        self.then: list[str] = []
        self.details: list[str] = []

    def choose(
        self,
        _: QWidget,
        __: str,
        text: str,
        answers: tuple[str, ...],
        *,
        leave: str = "Cancel",
        more: str = "",
        details: str = "",
    ) -> str:
        self.append(text)
        self.details.append(more + details)
        word = self.then.pop(0) if self.then else leave
        return next(a for a in (*answers, leave) if word in a)

    def tell(self, _: QWidget, text: str) -> None:
        self.append(text)


@pytest.fixture
def asked(monkeypatch: pytest.MonkeyPatch) -> Asked:
    """Questions are answered as the test says."""
    found = Asked()
    monkeypatch.setattr(ask, "choose", found.choose)
    monkeypatch.setattr(ask, "tell", found.tell)
    return found


@pytest.fixture
def open_window(qtbot: QtBot) -> Iterator[Callable[[Job, Path | None], Person]]:
    """Opens windows and closes them without asking."""
    windows: list[Window] = []
    application()

    def open_(job: Job, path: Path | None = None) -> Person:
        window = Window(job, path)
        windows.append(window)
        with qtbot.waitActive(window, timeout=PATIENCE_MS), qtbot.waitExposed(window, timeout=PATIENCE_MS):
            window.show()
            window.activateWindow()
        person = Person(window, qtbot)
        person.settle()
        return person

    yield open_
    while (popup := QApplication.activePopupWidget()) is not None:
        popup.close()
    for window in windows:
        window.session.saved_job = window.session.job
        window.close()
        window.deleteLater()
    # a window that lives on is dressed anew with every theme of a later one
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture
def empty(open_window: Callable[..., Person]) -> Person:
    return open_window(new_job())


@pytest.fixture
def demo(open_window: Callable[..., Person]) -> Person:
    return open_window(demo_job())
