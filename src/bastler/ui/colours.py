"""Which of the hues is whose: a step keeps its colour whatever is added, moved or deleted beside it.

*Slot*: the place of a hue in the set. When a job is opened slots go round in the order of its steps; a step that comes later
takes the hue that is seen least.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence

from bastler.ui.theme.tokens import HUES


class StepColours:
    """Slots by step id; of a deleted step it is remembered, so that undo brings its colour back."""

    def __init__(self) -> None:
        self._slots: dict[str, int] = {}

    def follow(self, ids: Iterable[str]) -> None:
        """Give a slot to each step that has none yet."""
        ids = list(ids)
        used = Counter(self._slots[i] for i in ids if i in self._slots)
        for i in ids:
            if i not in self._slots:
                self._slots[i] = self._next(used)
                used[self._slots[i]] += 1

    def next(self, ids: Iterable[str]) -> int:
        """The slot that a new step beside these would get."""
        return self._next(Counter(self._slots[i] for i in ids if i in self._slots))

    def slot(self, step_id: str) -> int:
        """A step's slot."""
        return self._slots.get(step_id, 0)

    def slots(self, ids: Sequence[str]) -> list[int]:
        """The slots of steps in order."""
        return [self.slot(i) for i in ids]

    @staticmethod
    def _next(used: Counter[int]) -> int:
        return min(range(len(HUES)), key=lambda k: (used[k], k))
