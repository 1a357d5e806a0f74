"""What posting gives."""

from __future__ import annotations

from msgspec import Struct


class Program(Struct, frozen=True):
    """Posted text; ``step_of_line[i]`` is the index of the step in the job's list for line i (from 0), or -1."""

    text: str
    step_of_line: tuple[int, ...]
    name: str

    @property
    def lines(self) -> list[str]:
        """The text by lines."""
        return self.text.splitlines()
