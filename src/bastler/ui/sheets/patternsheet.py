"""A named pattern drawn on the part, with the dimensions of its fields."""

from __future__ import annotations

from bastler.core.fields import Answers, Unanswered, Values
from bastler.core.marks import CentreCross, HoleSpot, Mark
from bastler.core.planning.patterns import NAMED_FIELDS, place_marks, positions, skipped
from bastler.core.plans.plan import StepPlan
from bastler.ui.drawing.dimensions import DimensionText
from bastler.ui.session import Session
from bastler.ui.sheets.sheet import Sheet
from bastler.ui.theme.tokens import DAY, Theme

SPOT_MM = 3.5


class PatternSheet(Sheet):
    """The top view with the positions of one pattern."""

    def __init__(self, session: Session, theme: Theme = DAY) -> None:
        super().__init__(session, theme)
        self.answers: Answers | None = None
        self.with_section = False
        self.setAccessibleName("Drawing of the pattern")

    def show_pattern(self, answers: Answers | None) -> None:
        """Draw this one."""
        self.answers = answers
        self.update()

    def subject(self) -> StepPlan | None:
        """No step: the pattern itself."""
        return None

    def _marks(self, step: StepPlan | None) -> list[Mark]:
        if self.answers is None:
            return []
        wrong = {*self.answers.missing, *(p.field for p in self.answers.problems)}
        values = Values(
            {f.key: self.answers.values.get(f.key, f.stand_in if f.key in wrong else None) for f in NAMED_FIELDS}
        )
        try:
            points, leave = positions(values), skipped(values)
            crosses: list[Mark] = [CentreCross(p, (SPOT_MM + 1, SPOT_MM + 1)) for p in points]
            return [
                *crosses,
                *(HoleSpot(i, p, SPOT_MM, i in leave) for i, p in enumerate(points, 1)),
                *place_marks(values),
            ]
        except (Unanswered, ArithmeticError, ValueError, IndexError, AttributeError):
            return []

    def _words(self, step: StepPlan | None) -> DimensionText:
        return (
            self.words_of(NAMED_FIELDS, self.answers)
            if self.answers is not None
            else DimensionText({}, "", frozenset())
        )
