"""The window lives: whatever is typed, undone, copied, deleted and looked at; a slot that raises; a process that dies."""

from __future__ import annotations

import os
import random
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QWidget
from pytestqt.qtbot import QtBot

from bastler.core import faults
from bastler.core.cycles import cycles
from bastler.core.jobfiles.store import load
from bastler.ui import recovery, worker
from tests.ui.conftest import Asked, Person

EXAMPLES = Path(__file__).parents[2] / "examples"
ACTIONS, SEEDS = (("pressure-plate", 650), ("spindle", 350)), (1, 2)
CONTROL, SHIFT, ALT, NONE = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.NoModifier,
)
TYPED = (
    "1",
    "2",
    "0",
    "5",
    "4",
    "-",
    ".",
    ",",
    "/",
    "*",
    "(",
    ")",
    "²",
    "x",
    "e9",
    "9999",
    "1in",
    " ",
    "2**9",
    "½",
    "#",
    "M8",
)
KEYS = (
    ("undo", Qt.Key.Key_Z, CONTROL, 5), ("redo", Qt.Key.Key_Y, CONTROL, 3), ("copy", Qt.Key.Key_D, CONTROL, 3), ("delete", Qt.Key.Key_Delete, CONTROL, 3),
    ("switch", Qt.Key.Key_Space, CONTROL, 3), ("repeat", Qt.Key.Key_D, CONTROL | SHIFT, 1), ("up", Qt.Key.Key_Up, CONTROL, 2), ("down", Qt.Key.Key_Down, CONTROL, 2),
    ("next", Qt.Key.Key_Down, ALT, 6), ("before", Qt.Key.Key_Up, ALT, 6), ("setup", Qt.Key.Key_1, CONTROL, 2), ("steps", Qt.Key.Key_2, CONTROL, 4),
    ("check", Qt.Key.Key_3, CONTROL, 3), ("code", Qt.Key.Key_4, CONTROL, 1), ("cancel", Qt.Key.Key_Period, CONTROL, 1), ("gather", Qt.Key.Key_G, CONTROL, 1),
    ("single", Qt.Key.Key_R, CONTROL | SHIFT, 1), ("remedy", Qt.Key.Key_R, CONTROL, 2), ("name", Qt.Key.Key_P, CONTROL | SHIFT, 1), ("paths", Qt.Key.Key_L, CONTROL | SHIFT, 1),
    ("move", Qt.Key.Key_Right, CONTROL, 2), ("step", Qt.Key.Key_Right, CONTROL | SHIFT, 2), ("hold", Qt.Key.Key_M, CONTROL | SHIFT, 1), ("play", Qt.Key.Key_P, CONTROL, 1),
    ("tab", Qt.Key.Key_Tab, NONE, 12), ("back", Qt.Key.Key_Backtab, NONE, 4), ("enter", Qt.Key.Key_Return, NONE, 8), ("erase", Qt.Key.Key_Backspace, NONE, 8),
    ("all", Qt.Key.Key_A, CONTROL, 3), ("escape", Qt.Key.Key_Escape, NONE, 3), ("right", Qt.Key.Key_Right, NONE, 3), ("fall", Qt.Key.Key_Down, NONE, 4), ("setups", Qt.Key.Key_Right, ALT, 1),
)  # fmt: skip
PAGES = ("Stock and zero", "Tools", "Magazine", "Patterns", "Machine", "Material")


class Monkey:
    """Does something at random, as hands could."""

    def __init__(self, person: Person, seed: int) -> None:
        self.person, self.dice, self.done = person, random.Random(seed), list[str]()

    def focus(self) -> QWidget:
        return QApplication.focusWidget() or self.person.window

    def act(self) -> None:
        dice, window = self.dice, self.person.window
        kind = dice.random()
        if kind < 0.45:
            text = dice.choice(TYPED)
            self.done.append(text)
            QTest.keyClicks(self.focus(), text)
        elif kind < 0.93:
            word, key, modifiers, _ = dice.choices(KEYS, [k[3] for k in KEYS])[0]
            self.done.append(word)
            QTest.keyClick(self.focus(), key, modifiers)
        elif kind < 0.96:
            self._add(dice, window)
        elif kind < 0.98:
            page = dice.choice(PAGES)
            self.done.append(page)
            window._setup_page(page)
        else:
            self.done.append("ribbon")
            window.session.set_time(dice.random() * max(window.ribbon.total, 1.0))
        QApplication.processEvents()

    def _add(self, dice: random.Random, window) -> None:  # type: ignore[no-untyped-def]
        if len(window.session.steps) > 9:
            self.done.append("shorter")
            window.session.delete_steps((window.session.selected,))
        elif len(window.session.job.setups) > 2:
            self.done.append("fewer setups")
            window.session.delete_setup()
        elif dice.random() < 0.15:
            self.done.append("another setup")
            window._add_setup()
        else:
            cycle = dice.choice(cycles().ids(window.session.plan.frame.machine.kind))
            self.done.append(f"add {cycle}")
            window.session.add_step(cycle)


@pytest.mark.parametrize("seed", SEEDS)
def test_two_thousand_actions_leave_it_alive(
    open_window: Callable[..., Person], asked: Asked, seed: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Any exception in a slot fails the test by itself; a fault that a guard took is in the log, and fails it too."""
    for name in ("getSaveFileName", "getOpenFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *_: ("", ""))
    for demo, actions in ACTIONS:
        person = open_window(load(EXAMPLES / f"{demo}.bastler"))
        monkey = Monkey(person, seed)
        for n in range(actions):
            monkey.act()
            assert not faults.log_file().exists(), f"{monkey.done[-12:]}\n{faults.log_file().read_text()}"
            if n % 250 == 249:
                person.checked_or_refused()
        assert person.window.isVisible()
        assert person.window.session.plan.job is person.window.session.job


RAISES = """
import sys
from PyQt6.QtCore import QTimer
from bastler.ui import app, guard
window = app.start("--demo")
guard.install(window.say)
def fault():
    raise LookupError("on purpose")
for at in (0, 50, 100):
    QTimer.singleShot(at, fault)
class Paints(type(window.ribbon)):
    def paintEvent(self, _):
        raise LookupError("in drawing")
paints = Paints(window.session, window.theme, window)
paints.show()
def tell():
    print(window.isVisible(), window.status.text(), flush=True)
    window.session.saved_job = window.session.job
    window.close()
    app.application().quit()
QTimer.singleShot(600, tell)
sys.exit(app.application().exec())
"""


def test_a_slot_or_painter_that_raises_ends_nothing() -> None:
    done = subprocess.run([sys.executable, "-c", RAISES], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith("True Something went wrong in Bastler; nothing of the job is lost.")
    log = faults.log_file().read_text()
    assert str(faults.log_file()) in done.stdout
    assert log.count("LookupError: on purpose") == 1, "three times the same is written once"
    assert log.count("LookupError: in drawing") == 1
    faults.log_file().unlink()


KILLED = """
import random, sys
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from bastler.core.jobfiles.store import load
from bastler.ui.application import application
from bastler.ui.window import Window
app = application()
window = Window(load(__import__("pathlib").Path(sys.argv[1])))
window.show()
steps = window._station("Steps")
window.session.select(window.session.steps[1].id)
steps.form.focus_field("depth")
app.processEvents()
widget = QApplication.focusWidget()
widget.selectAll()
n = 0
while True:
    widget.selectAll()
    QTest.keyClicks(widget, str(n % 9 + 1))
    app.processEvents()
    print(window.session.steps[1].values.get("depth"), flush=True)
    n += 1
"""


def test_a_window_killed_while_someone_types_loses_at_most_the_last_edit() -> None:
    dice, path = random.Random(4), EXAMPLES / "pressure-plate.bastler"
    for _ in range(20):
        process = subprocess.Popen([sys.executable, "-c", KILLED, str(path)], stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        for _ in range(dice.randint(1, 5)):
            process.stdout.readline()
        time.sleep(dice.random() * 0.05)
        process.send_signal(signal.SIGKILL)
        process.wait()
        typed = [line.strip() for line in process.stdout.read().split("\n") if line.strip()]
        process.stdout.close()
        (left,) = recovery.left_behind()
        depth = left.job.setups[0].steps[1].values["depth"]
        if typed:
            last = int(typed[-1])
            assert int(depth) in (last, last % 9 + 1), "the last edit that was seen, or the one under way"
        left.slot.unlink()


def test_a_check_killed_while_someone_types_goes_on_by_itself(demo: Person, monkeypatch: pytest.MonkeyPatch) -> None:
    dice, check = random.Random(5), demo.window.checker.worker
    demo.checked()
    demo.window.session.select("left")
    for n in range(20):
        demo.retype("depth", str(4 + n % 7))
        time.sleep(dice.random() * 0.2)
        demo.settle()
        pid = check.pid
        assert pid is not None
        os.kill(pid, signal.SIGKILL)
        if n % 5 == 4:
            demo.until(lambda pid=pid: check.pid != pid)  # type: ignore[misc]
            demo.checked()
            assert demo.window.session.is_checked
            assert demo.window.session.steps[1].values["depth"] == str(4 + n % 7)
    assert "check’s process ended" in demo.window.status.text()
    demo.window.show_station("Check")
    demo.window.session.set_time(10.0)
    demo.until(lambda: demo.window.solid.view.picture is not None)


def test_a_solid_view_killed_while_someone_types_shows_the_same_again(demo: Person) -> None:
    demo.checked()
    demo.window.show_station("Check")
    view = demo.window.solid.view
    demo.until(lambda: view.picture is not None)
    demo.window.session.set_time(20.0)
    seen: list[int] = []
    view.pictured.connect(seen.append)
    demo.until(lambda: bool(seen) and seen[-1] == view.number)
    before = view.picture.copy()
    for _ in range(20):
        pid = view.worker.pid
        assert pid is not None
        os.kill(pid, signal.SIGKILL)
        demo.until(lambda pid=pid: view.worker.pid not in (None, pid))  # type: ignore[misc]
        view.worker.calm()
    assert "solid view’s process ended" in demo.window.status.text()
    demo.window._message_timer.stop()
    demo.window._finding_line()  # the message is gone, and the view as large as before
    seen.clear()
    demo.until(lambda: view.picture.size() == before.size() and bool(seen) and seen[-1] == view.number)
    assert view.picture == before


GARBAGE = "import os, sys, time; os.write(int(sys.argv[1]), bytes((0, 0, 0, 5)) + b'hello'); time.sleep(60)"


def test_an_answer_that_cannot_be_read_ends_the_process(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing behind half a message can be read: the process is given up, not waited for."""

    def launched(_: str) -> tuple[subprocess.Popen[bytes], Connection]:
        ours, theirs = socket.socketpair()
        process = subprocess.Popen([sys.executable, "-c", GARBAGE, str(theirs.fileno())], pass_fds=[theirs.fileno()])
        theirs.close()
        return process, Connection(ours.detach())

    monkeypatch.setattr(worker, "launched", launched)
    one = worker.Worker("garbage", frozenset())
    with qtbot.waitSignal(one.died, timeout=20_000):
        one.send("go")
    assert one._process is not None
    assert one._process.poll() == -signal.SIGKILL
    one.close()
    assert "answer of garbage" in faults.log_file().read_text()
    faults.log_file().unlink()


def test_a_process_that_ends_again_and_again_is_left_alone(demo: Person) -> None:
    """The same work would end it once more; the next edit tries again."""
    demo.checked()
    check = demo.window.checker.worker
    check._deaths.extend([time.monotonic()] * 4)
    assert check.pid is not None
    os.kill(check.pid, signal.SIGKILL)
    demo.until(lambda: "again and again" in demo.window.status.text())
    assert not demo.window.checker.busy
    demo.retype("overlap", "40")
    demo.checked()
    assert demo.window.session.is_checked
