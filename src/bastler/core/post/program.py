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
        return lines_of(self.text)


def lines_of(text: str) -> list[str]:
    """A text by lines. Only a line feed ends one, as for a control: a form feed within a comment does not."""
    lines = text.split("\n")
    return lines if lines[-1] else lines[:-1]


def with_remark(text: str, remark: str) -> str:
    """A program with a comment at its head: behind ``%`` and its number, before anything that moves."""
    lines = lines_of(text)
    at = next((i for i, line in enumerate(lines) if line.strip() and line.strip()[0] not in "%Oo:"), len(lines))
    return "\n".join([*lines[:at], f"({remark})", *lines[at:]]) + "\n"
