"""Commands as data: id, title, keys, what is done and when it may be. Menus, buttons and the overview of
shortcuts are made from this table."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWidget


class Command(Struct, frozen=True):
    """One thing the window can do."""

    id: str
    title: str
    group: str
    keys: str
    run: Callable[[], object]
    enabled: Callable[[], bool] = lambda: True


def make_actions(commands: list[Command], window: QWidget) -> dict[str, QAction]:
    """An action per command, reachable from everywhere in the window."""
    actions: dict[str, QAction] = {}
    for command in commands:
        action = QAction(command.title, window)
        if command.keys:
            action.setShortcuts([QKeySequence(k) for k in command.keys.split(" | ")])
        action.triggered.connect(lambda _=False, c=command: c.run() if c.enabled() else None)
        window.addAction(action)
        actions[command.id] = action
    return actions
