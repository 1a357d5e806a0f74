"""What is wrong, as values.

*Problem*: a sentence about one place (a field, a step), with the remedy in it.
*Unusable*: an input that can't be used at all; carries the one sentence for the person.
"""

from __future__ import annotations

from msgspec import Struct


class Problem(Struct, frozen=True):
    """One thing wrong at one field.

    ``blocks`` tells whether the step can still be planned (a doubtful depth per pass
    is flagged but planned; a tool too big for its pocket is not planned). ``finding`` is the kind under
    which the check repeats a problem that doesn't block. ``label``: of the field, where its text can't be read and the sentence quotes it without naming it.
    """

    field: str
    text: str
    blocks: bool = True
    finding: str = ""
    remedy: tuple[str, str] | None = None
    label: str = ""

    @property
    def named(self) -> str:
        """The sentence away from its form: with the field's label before it, where the sentence doesn't name it."""
        return f"{self.label}: {self.text}" if self.label not in self.text else self.text

    def at(self, field: str) -> Problem:
        """The same at another field."""
        return Problem(field, self.text, self.blocks, self.finding, self.remedy)


class Unusable(Exception):
    """An input that can't be used; ``str()`` is one sentence with place and remedy."""


class Unfinished(Unusable):
    """An input that is right so far (``2+``, a contour of one line): it is asked for, not called wrong."""


class TooMany(Exception):
    """More moves, passes or pecks than anybody means; ``str()`` is a sentence with the remedy."""
