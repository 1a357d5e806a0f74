"""The documents before and behind the one in view."""

from __future__ import annotations

from collections.abc import Callable

from bastler.core.job.document import Job

Take = Callable[[Job], bool]
"""Makes a document the job; whether it could."""


class History:
    """Edits with the same ``merge`` key in a row (typing into one field) are one step back."""

    def __init__(self) -> None:
        self._past: list[Job] = []
        self._future: list[Job] = []
        self._merge: str | None = None

    def remember(self, before: Job, merge: str | None) -> None:
        """A document as one to come back to."""
        if merge is None or merge != self._merge:
            self._past.append(before)
        self._merge = merge
        self._future.clear()

    def end_merge(self) -> None:
        """The next edit is a step of its own."""
        self._merge = None

    @property
    def can_go_back(self) -> bool:
        """Whether there is an edit to take back."""
        return bool(self._past)

    @property
    def can_go_forth(self) -> bool:
        """Whether an edit was taken back."""
        return bool(self._future)

    def back(self, now: Job, take: Take) -> bool:
        """To the document before, if it can be taken."""
        return self._go(self._past, self._future, now, take)

    def forth(self, now: Job, take: Take) -> bool:
        """To the one behind."""
        return self._go(self._future, self._past, now, take)

    def _go(self, here: list[Job], there: list[Job], now: Job, take: Take) -> bool:
        self._merge = None
        if not here or not take(here.pop()):
            return False
        there.append(now)
        return True
