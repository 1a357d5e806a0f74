"""The open job: document, history, selection, plan, check result. The one thing stations share.

Every edit is a new frozen document; undo is the list of documents before. Edits with the same
``merge`` key (typing into one field) count as one. After each edit the plan is read at once and the
recovery file written; the check is asked for by whoever listens to ``changed``.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PyQt6.QtCore import QTimer, pyqtSignal

from bastler.core import faults
from bastler.core.fields import Values
from bastler.core.job.document import LONGEST_TEXT, Job, Setup, Step
from bastler.core.jobfiles import store
from bastler.core.planner import plan
from bastler.core.planning.contours import read_contours
from bastler.core.plans.plan import Plan, StepPlan
from bastler.core.problems import Problem, Unusable
from bastler.ui import recovery
from bastler.ui.colours import StepColours
from bastler.ui.history import History
from bastler.ui.setupedits import SetupEdits
from bastler.ui.stepedits import StepEdits

if TYPE_CHECKING:
    from bastler.core.checked import Checked

Asked = tuple[Job, int, str | None]
PAUSE_MS = 150


class Session(StepEdits, SetupEdits):
    """One open job. Signals carry nothing: listeners read the session."""

    changed = pyqtSignal()
    field_focused = pyqtSignal(str)
    checked_changed = pyqtSignal()
    judged = pyqtSignal()
    """The check told something of the steps themselves: the plan knows it now."""
    time_changed = pyqtSignal(float)

    def __init__(self, job: Job, path: Path | None = None) -> None:
        super().__init__()
        self.path = path
        self.saved_job = job
        self._history = History()
        self.job = job
        self.at = 0
        self._known: dict[str, tuple[Values, tuple[Problem, ...]]] = {}
        try:
            self.plan: Plan = plan(job, moves=False)
        except Exception as error:
            faults.record(error, "opening a job")
            raise Unusable(f"This job could not be worked out: a fault in Bastler. {faults.told()}") from error
        self.colours = StepColours()
        self.colours.follow(s.id for s in self.steps)
        self.selected: str | None = job.setups[0].steps[0].id if job.setups[0].steps else None
        self.checked: Checked | None = None
        self._checked_for: Asked | None = None
        self.checking: float | None = None
        self.hand_text: str | None = None
        self.time = 0.0
        self.held: float | None = None
        self.recovery = recovery.Slot()
        self._read_as: Job | None = job
        self._stamp = recovery.stamp_of(path)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(PAUSE_MS)
        self._pause.timeout.connect(self._catch_up)

    # reading

    @property
    def setup(self) -> Setup:
        """The setup in view."""
        return self.job.setups[self.at]

    def with_setup(self, setup: Setup, job: Job | None = None) -> Job:
        """The job with the setup in view replaced."""
        return (job or self.job).with_setup(setup, self.at)

    @property
    def steps(self) -> tuple[Step, ...]:
        """Steps of the setup in view."""
        return self.setup.steps

    @property
    def dirty(self) -> bool:
        """Whether there is something to save."""
        return self.job is not self.saved_job

    @property
    def asked(self) -> Asked:
        """What a check is of: job, setup, own text."""
        return (self.job, self.at, self.hand_text)

    @property
    def is_checked(self) -> bool:
        """Whether the check in hand is of exactly what is in view."""
        known = self._checked_for
        return self.checked is not None and known is not None and known[0] is self.job and known[1:] == self.asked[1:]

    def index_of(self, step_id: str | None) -> int:
        """Place of a step in the list, -1 if it is gone."""
        return next((i for i, s in enumerate(self.steps) if s.id == step_id), -1)

    @property
    def current(self) -> StepPlan | None:
        """The selected step, planned."""
        i = self.index_of(self.selected)
        return self.plan.steps[i] if i >= 0 else None

    # editing

    def edit(self, job: Job, merge: str | None = None) -> None:
        """Take a new document as the job."""
        if job == self.job:
            return
        before = self.job
        if self._take(job):
            self._history.remember(before, merge)
            self.changed.emit()

    def edit_contours(self, job: Job, merge: str | None = None) -> None:
        """Take a document in which only contours differ: they are solved at once, the steps on them follow when typing pauses."""
        if merge is None:
            self.edit(job)
        elif job != self.job:
            contours = read_contours(job.contours, job.units)
            self._history.remember(self.job, merge)
            self._keep(job)
            self.plan = replace(self.plan, job=job, contours=contours)
            self.changed.emit()
            self._pause.start()

    def _planned(self) -> Plan:
        """Without moves, which the check plans; what they showed last time is known."""
        return plan(self.job, self.at, moves=False, known=self._known)

    @property
    def checked_ids(self) -> tuple[str, ...]:
        """The steps of the check in hand, by their index there."""
        return self.checked.step_ids if self.checked is not None else ()

    def forget_check(self) -> None:
        """As if nothing had been checked yet."""
        self.checked = None

    def take_check(self, checked: Checked, asked: Asked) -> None:
        """The check of a job has come; what its moves show belongs to the plan too."""
        self.checking, self.checked, self._checked_for = None, checked, asked
        job = asked[0]
        self.time = min(self.time, checked.seconds_whole)
        if self.held is not None:
            self.held = min(self.held, checked.seconds_whole)
        if job is self.job:
            here = {s.step.id: s.answers.values for s in self.plan.steps}
            known = {i: told for i, told in self._known.items() if i not in here}
            known |= {i: (here[i], ways) for i, ways in checked.ways.items() if i in here}
            if known != self._known:
                self._known = known
                self.plan = self._planned()
                self.judged.emit()
        self.checked_changed.emit()

    def _catch_up(self) -> None:
        """The steps follow the contours."""
        self.replan()

    def end_merge(self) -> None:
        """The next edit is an undo step of its own."""
        self._history.end_merge()

    def _keep(self, job: Job) -> None:
        self.job = job
        trouble = self.recovery.write(job, self.path, self._stamp)
        if trouble:
            self.message.emit(trouble)

    def _take(self, job: Job) -> bool:
        """A document becomes the job; one that can't be worked out does not, and that is told."""
        self._pause.stop()
        if max(map(len, job.texts())) > LONGEST_TEXT:
            self.message.emit(
                f"A text of more than {LONGEST_TEXT} characters can't be kept; this edit is not taken. Shorten it."
            )
            return False
        at = min(self.at, len(job.setups) - 1)
        try:
            planned = plan(job, at, moves=False, known=self._known)
        except Exception as error:
            faults.record(error, "edit")
            self._history.end_merge()
            self.message.emit(
                f"This edit could not be worked out and is not taken: a fault in Bastler. {faults.told()}"
            )
            return False
        self._keep(job)
        self.at, self.plan = at, planned
        self.colours.follow(s.id for s in self.steps)
        if self.index_of(self.selected) < 0:
            self.selected = self.steps[0].id if self.steps else None
            self.selection_changed.emit()
        return True

    def replan(self) -> None:
        """Something that the job only names (its machine) has changed."""
        self._checked_for = None
        if self._take(self.job):
            self.changed.emit()

    def undo(self) -> None:
        """Back by one edit."""
        self._go(self._history.back)

    def redo(self) -> None:
        """Forward again."""
        self._go(self._history.forth)

    def _go(self, way: Callable[[Job, Callable[[Job], bool]], bool]) -> None:
        before = self.job
        if way(before, self._take):
            self._go_to_change(before)

    def _go_to_change(self, before: Job) -> None:
        """After going back or forth: the step that came again or changed is the selected one; else the same as before."""
        old = {s.id: s for setup in before.setups for s in setup.steps}
        changed = [s.id for s in self.steps if old.get(s.id) != s]
        if changed and self.selected not in changed:
            self.selected = changed[0]
        elif self.index_of(self.selected) < 0:
            self.selected = self.steps[-1].id if self.steps else None
        self.changed.emit()
        self.selection_changed.emit()

    @property
    def can_undo(self) -> bool:
        """Whether there is an edit to take back."""
        return self._history.can_go_back

    @property
    def can_redo(self) -> bool:
        """Whether an edit was taken back."""
        return self._history.can_go_forth

    def select(self, step_id: str | None) -> None:
        """Make a step the selected one."""
        if step_id != self.selected:
            self.selected = step_id
            self._history.end_merge()
            self.selection_changed.emit()

    def set_time(self, seconds: float) -> None:
        """Move the moment shown."""
        self.time = seconds
        self.time_changed.emit(seconds)

    def hold(self, seconds: float | None) -> None:
        """Compare every moment shown with this one; ``None`` ends it."""
        self.held = seconds
        self.time_changed.emit(self.time)

    # setups

    def show_setup(self, index: int) -> None:
        """Bring another setup into view."""
        if index != self.at and 0 <= index < len(self.job.setups):
            planned = plan(self.job, index, moves=False, known=self._known)
            self.at, self.plan = index, planned
            self.colours.follow(s.id for s in self.steps)
            self._history.end_merge()
            self.checked, self.time, self.held, self.hand_text = None, 0.0, None, None
            self.selected = self.steps[0].id if self.steps else None
            self.checked_changed.emit()
            self.changed.emit()
            self.selection_changed.emit()

    # files

    def save(self, path: Path) -> str:
        """Save the job; raises :class:`bastler.core.problems.Unusable`. Gives what the person should know of it."""
        note = store.save(self.job, path)
        self.path = path
        self.saved_job = self._read_as = self.job
        self._stamp = recovery.stamp_of(path)
        self.recovery.clear()
        self.recovery.claim(path)
        recovery.remember(path)
        self.changed.emit()
        return note

    def on_disk(self, path: Path) -> Job | None:
        """The job that another window or program has put into this session's file meanwhile; ``None`` if nobody has.

        Raises :class:`Unusable` for a file that has been changed into no job.
        """
        own = self.path is not None and path.resolve() == self.path.resolve()
        now = recovery.stamp_of(path)
        if not own or now is None or now == self._stamp:
            return None
        there = store.load(path)
        return None if there in (self._read_as, self.job) else there

    def recovered(self, left: recovery.Left) -> None:
        """Go on with what a crash left: unsaved edits of a file that may have changed since."""
        try:
            base = store.load(left.path) if left.path is not None else None
        except Unusable:
            base = None
        self.saved_job = base if base is not None else Job()
        self._read_as, self._stamp = None, left.stamp
        self.recovery.write(left.job, left.path, left.stamp)
