"""The one QApplication."""

from __future__ import annotations

import sys
from functools import cache

from PyQt6.QtWidgets import QApplication


@cache
def application() -> QApplication:
    """The one QApplication, named; kept here, since Qt lets go of one that nobody holds."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    app = QApplication([sys.argv[0], "-style", "fusion"])
    app.setApplicationName("Bastler")
    app.setDesktopFileName("bastler")
    return app
