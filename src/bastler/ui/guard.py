"""The one guard round everything that Qt calls: a slot, a painter or a timer that raises ends nothing.

The fault is written to the log and told once; the window goes on with what it had.
"""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable
from types import TracebackType

from PyQt6.QtCore import QTimer

from bastler.core import faults


def install(say: Callable[[str], None]) -> None:
    """From now on nothing that a slot raises ends the program (PyQt would end it otherwise)."""

    def caught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if not issubclass(kind, Exception):
            sys.__excepthook__(kind, error, trace)
        elif faults.record(error.with_traceback(trace), "window"):
            # In a turn of its own: what raised may be in the middle of drawing the very line that tells it.
            QTimer.singleShot(
                0, lambda: say(f"Something went wrong in Bastler; nothing of the job is lost. {faults.told()}")
            )

    def in_thread(args: threading.ExceptHookArgs) -> None:
        if args.exc_value is not None:
            faults.record(args.exc_value, "thread of the window")

    sys.excepthook = caught
    threading.excepthook = in_thread
