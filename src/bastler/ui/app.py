"""Starting the window."""

from __future__ import annotations

import gc
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer

from bastler.core.demo import demo_job, new_job
from bastler.core.diskfiles import read_file
from bastler.core.jobfiles.store import load
from bastler.core.problems import Unusable
from bastler.ui.application import application
from bastler.ui.guard import install

if TYPE_CHECKING:
    from bastler.ui.window import Window

PROGRAMS = (".nc", ".ngc", ".tap", ".txt", ".iso")
LARGEST_PROGRAM = 20_000_000


def start(word: str | None) -> Window:
    """The window with a job file, a program, ``--demo``, or a new job, shown. Raises :class:`Unusable`.

    A program is an own text in Code, for an empty job.

    The collector of garbage rests meanwhile: what is loaded at the start stays for good.
    """
    gc.disable()
    path = None if word is None or word == "--demo" else Path(word)
    text = _program(path) if path is not None and path.suffix.lower() in PROGRAMS else None
    if text is not None:
        path = None
    job = demo_job() if word == "--demo" else load(path) if path is not None else new_job()
    application()
    from bastler.ui.window import Window

    window = Window(job, path)
    window.as_it_was_left()
    window.show()
    if text is not None:
        window.show_program(text)
    QTimer.singleShot(0, _collect_again)
    return window


def _program(path: Path) -> str:
    """The text of a program; raises :class:`Unusable`."""
    return read_file(path, LARGEST_PROGRAM, "larger than a program that can be shown").decode("utf-8", "replace")


def _collect_again() -> None:
    gc.freeze()
    gc.enable()


def _dress() -> None:
    """The icon, once the window is up: it loads what nothing else needs."""
    from PyQt6.QtGui import QIcon

    application().setWindowIcon(QIcon(str(Path(__file__).parent / "theme" / "bastler.svg")))


def open_window(word: str | None) -> int:
    """Show the window and stay until it is closed; exit status."""
    try:
        window = start(word)
    except Unusable as error:
        print(f"bastler: {error}", file=sys.stderr)
        return 2
    install(window.say)
    QTimer.singleShot(0, _dress)
    QTimer.singleShot(0, window.offer_recovery)
    return application().exec()
