"""The one QApplication."""

from __future__ import annotations

import sys
from functools import cache

from PyQt6.QtWidgets import QApplication

SEARCH_MS = 1200
"""Keys in a list belong to one word that long: at a machine a tool's number is typed with one finger."""


@cache
def application() -> QApplication:
    """The one QApplication, named; kept here, since Qt lets go of one that nobody holds."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication([sys.argv[0], "-style", "fusion"])
    app.setApplicationName("Bastler")
    app.setDesktopFileName("bastler")
    app.setKeyboardInputInterval(SEARCH_MS)
    return app
