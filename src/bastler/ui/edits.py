"""What every sort of edit stands on: the job, what is planned of it, and how a new document is taken.

The session is made of parts, apart only so that each can be read at one go: :mod:`stepedits`, :mod:`setupedits`, and :mod:`history`.
"""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from bastler.core.job.document import Job, Setup, Step
from bastler.core.plans.plan import Plan, StepPlan


def with_value(values: dict[str, str], key: str, text: str) -> dict[str, str]:
    """Values with one typed text changed; an empty text takes the entry out."""
    rest = {k: v for k, v in values.items() if k != key}
    return {**rest, key: text} if text.strip() else rest


class Edits(QObject):
    """What edits of steps, patterns, setups and tools need of the session that they are parts of."""

    message = pyqtSignal(str)
    selection_changed = pyqtSignal()

    job: Job
    plan: Plan
    selected: str | None

    @property
    def setup(self) -> Setup:
        """The setup in view."""
        raise NotImplementedError

    @property
    def steps(self) -> tuple[Step, ...]:
        """Steps of the setup in view."""
        raise NotImplementedError

    @property
    def current(self) -> StepPlan | None:
        """The selected step, planned."""
        raise NotImplementedError

    def with_setup(self, setup: Setup, job: Job | None = None) -> Job:
        """The job with the setup in view replaced."""
        raise NotImplementedError

    def index_of(self, step_id: str | None) -> int:
        """Place of a step in the list, -1 if it is gone."""
        raise NotImplementedError

    def edit(self, job: Job, merge: str | None = None) -> None:
        """A new document becomes the job."""
        raise NotImplementedError

    def end_merge(self) -> None:
        """The next edit is an undo step of its own."""
        raise NotImplementedError

    def select(self, step_id: str | None) -> None:
        """Make a step the selected one."""
        raise NotImplementedError

    def show_setup(self, index: int) -> None:
        """Bring another setup into view."""
        raise NotImplementedError
