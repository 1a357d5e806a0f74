"""Job files of the window: open, save, and what a crash left behind.

Trouble is told in words, and nothing that is in view is lost: a job is left only when its edits are
saved or given up.
"""

from __future__ import annotations

import time
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from bastler.core.job.document import Job
from bastler.core.jobfiles.store import SUFFIX, dump, load
from bastler.core.jobfiles.units import in_units
from bastler.core.problems import Unusable
from bastler.core.quantities import Units
from bastler.ui import ask, recovery
from bastler.ui.output import OutputDesk


class FileDesk(OutputDesk):
    """The part of the window that deals with job files; the window itself builds what is seen."""

    def _open(self, job: Job, path: Path | None) -> None:
        raise NotImplementedError

    def _titles(self) -> None:
        raise NotImplementedError

    def _leave_job(self) -> bool:
        """Ask about unsaved edits; whether to go on."""
        if self.session.dirty:
            text = f"“{self.session.job.name}” has edits that are not saved. Save them?"
            answer = ask.choose(self, "Unsaved edits", text, ("Save", "Discard"))
            if answer == "Cancel" or (answer == "Save" and not self.save()):
                return False
        self.session.recovery.clear()
        return True

    def open_file(self) -> None:
        """Choose a job file."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a job", self._folder(), f"Jobs (*{SUFFIX})")
        if name and self._leave_job():
            self.open_path(Path(name))

    def open_path(self, path: Path) -> bool:
        """Open a job file; a file that can't be used is told and the job in view stays."""
        try:
            self._open(load(path), path)
        except Unusable as error:
            ask.tell(self, str(error))
            return False
        recovery.remember(path)
        return True

    def claim(self) -> None:
        """Let other windows know which file is open here, and say so if one of them has it too."""
        path = self.session.path
        if path is not None:
            self.session.recovery.claim(path)
            if recovery.open_elsewhere(path):
                self.say(
                    f"{path.name} is open in another window too. Whoever saves last is asked before anything is lost."
                )

    def save(self) -> bool:
        """Save where it came from, or ask."""
        return self.save_to(self.session.path) if self.session.path else self.save_as()

    def save_as(self) -> bool:
        """Ask for a name and save."""
        start = str(Path(self._folder()) / (self._plain_name() + SUFFIX))
        name, _ = QFileDialog.getSaveFileName(self, "Save the job", start, f"Jobs (*{SUFFIX})")
        if not name:
            return False
        path = Path(name)
        return self.save_to(path if path.suffix else path.with_suffix(SUFFIX))

    def save_to(self, path: Path) -> bool:
        """Save to a path; trouble is told in words, and what somebody else has saved there meanwhile is asked about."""
        where = self._settled(path)
        if where is None:
            return False
        try:
            note = self.session.save(where)
        except Unusable as error:
            ask.tell(self, str(error))
            return False
        self._settings().setValue("folder", str(where.parent))
        self.say(f"Saved as {where}. {note}".rstrip())
        return True

    def _settled(self, path: Path) -> Path | None:
        """Where to save a job whose file may have changed since it was read; ``None``: not now."""
        try:
            there = self.session.on_disk(path)
            if there is None:
                return path
            details = _differences(there, self.session.job)
        except Unusable as error:
            details = str(error)
        text = f"{path.name} was changed by another window or program since it was read here. Overwrite it?"
        both = _beside(path)
        answer = ask.choose(self, "Changed meanwhile", text, ("Overwrite", f"Keep both: {both.name}"), details=details)
        return None if answer == "Cancel" else path if answer == "Overwrite" else both

    # units

    def change_units(self) -> None:
        """Ask what the numbers should do, then change the job's units."""
        old = self.session.job.units
        new: Units = "inch" if old == "mm" else "mm"
        text = f"The job is in {old}. In {new}, shall the part keep its size, or the numbers their value?"
        answer = ask.choose(self, "Change units", text, ("Keep the size", "Keep the numbers"))
        if answer != "Cancel":
            self.use_units(new, keep_size=answer == "Keep the size")

    def use_units(self, units: Units, *, keep_size: bool) -> None:
        """Change the job's units; one edit that can be taken back."""
        self.session.edit(in_units(self.session.job, units, keep_size=keep_size))
        self.say(
            f"The job is in {units} now; the {'part keeps its size' if keep_size else 'numbers keep their value'}."
        )

    # what a crash left

    def offer_recovery(self) -> None:
        """Every job that a crash left is offered by name and time, until one is opened; what is not answered stays."""
        for left in recovery.left_behind():
            when = time.strftime("%-d %B, %H:%M", time.localtime(left.when))
            where = f" of {left.path.name}" if left.path is not None else ""
            text = (
                f"Bastler was interrupted. “{left.job.name}” has unsaved edits{where}, the last on {when}. Open them?"
            )
            answer = ask.choose(self, "Edits found", text, ("Open them", "Delete them"), leave="Decide later")
            if answer == "Delete them":
                left.slot.unlink(missing_ok=True)
            elif answer == "Open them" and self.recover(left):
                return

    def recover(self, left: recovery.Left) -> bool:
        """Take a job that a crash left, as unsaved edits of its file; one that can't be worked out is told and kept."""
        try:
            self._open(left.job, left.path)
        except Unusable as error:
            ask.tell(self, str(error))
            return False
        self.session.recovered(left)
        left.slot.unlink(missing_ok=True)
        self._titles()
        return True


def _beside(path: Path) -> Path:
    """A name beside a file that no file has."""
    return next(p for n in range(2, 10_000) if not (p := path.with_name(f"{path.stem} {n}{path.suffix}")).exists())


def _differences(there: Job, here: Job) -> str:
    """What differs between the job on the disk and the one in view, line by line."""
    from difflib import unified_diff

    old, new = (dump(job).decode("utf-8", "replace").split("\n") for job in (there, here))
    return "\n".join(unified_diff(old, new, "on the disk", "here", lineterm="", n=1))
