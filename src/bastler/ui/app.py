"""Starting the window."""

from __future__ import annotations

import os
import sys
from pathlib import Path

os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

from PyQt6.QtWidgets import QApplication

from bastler.core.demo import demo_job, new_job
from bastler.core.job.store import load
from bastler.core.problems import Unusable


def application() -> QApplication:
    """The one QApplication, named."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Bastler")
    app.setStyle("Fusion")
    return app


def open_window(word: str | None) -> int:
    """Open the window with a job file, ``--demo``, or a new job."""
    path = None
    try:
        if word == "--demo":
            job = demo_job()
        elif word:
            path = Path(word)
            job = load(path)
        else:
            job = new_job()
    except Unusable as error:
        print(f"bastler: {error}", file=sys.stderr)
        return 2
    app = application()
    from bastler.ui.window import Window

    window = Window(job, path)
    window.show()
    window.offer_recovery()
    return app.exec()
