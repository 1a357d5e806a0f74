"""How a job begins: empty, from a starting point of one's own, from a sample or a recent one; and the menu that offers it."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QInputDialog, QMenu

from bastler.core.demo import SAMPLE_JOBS, demo_job, new_job
from bastler.core.job.document import Job
from bastler.core.jobfiles import starts
from bastler.core.problems import Unusable
from bastler.ui import ask, recovery
from bastler.ui.files import FileDesk
from bastler.ui.widgets.joblist import ICON_PX, PICTURES, Entry

if TYPE_CHECKING:
    from bastler.ui.stations.station import Station


class BeginDesk(FileDesk):
    """The part of the window that begins jobs."""

    stations: dict[str, Station]

    def new(self) -> None:
        """A new job from the starting point that was used last, else an empty one."""
        last = str(self._settings().value("start", ""))
        if last in starts.names():
            self.new_from(last)
        else:
            self.new_empty()

    def new_empty(self) -> None:
        """An empty job with the sample tools."""
        self._settings().setValue("start", "")
        self._begin(new_job)

    def new_from(self, name: str) -> None:
        """A new job from a starting point."""
        self._settings().setValue("start", name)
        self._begin(lambda: starts.begun(name))

    def open_sample(self, file: str) -> None:
        """A job that ships with Bastler, without a file of its own."""
        self._begin(lambda: demo_job(file))

    def _begin(self, made: Callable[[], Job]) -> None:
        try:
            job: Job = made()
        except Unusable as error:
            ask.tell(self, str(error))
            return
        if self._leave_job():
            self._open(job, None)

    def keep_start(self) -> None:
        """Keep the job in view as a starting point; its steps too, so take out first what others don't share."""
        label = "Name of the starting point (machine, holding, zero, tools and steps are kept):"
        name, given = QInputDialog.getText(self, "Keep as a starting point", label, text=self.session.job.name)
        if given:
            try:
                self.say(f"Kept as the starting point “{starts.keep(self.session.job, name)}”.")
            except Unusable as error:
                ask.tell(self, str(error))

    def entries(self) -> list[Entry]:
        """What can be opened, with pictures: starting points, recent jobs, samples."""
        found = [
            Entry("start", name, "Your own starting point", PICTURES / "start.png", partial(self.new_from, name))
            for name in starts.names()
        ]
        found += [
            Entry("recent", p.stem, f"Recent, in {p.parent.name}", _picture_of(p), partial(self._open_recent, p))
            for p in recovery.recent()
        ]
        found += [
            Entry("sample", s.name, s.line, (PICTURES / s.file).with_suffix(".png"), partial(self.open_sample, s.file))
            for s in SAMPLE_JOBS
        ]
        return found

    def _open_recent(self, path: Path) -> None:
        if self._leave_job():
            self.open_path(path)

    def offer_jobs(self, menu: QMenu) -> None:
        """The entries of the menu that begin or open a job."""
        last = str(self._settings().value("start", ""))
        beginnings = menu.addMenu("New job from")
        assert beginnings is not None
        for word, run in (
            ("Empty", self.new_empty),
            *((name, partial(self.new_from, name)) for name in starts.names()),
        ):
            action = beginnings.addAction(word + ("   (last used)" if word == last else ""))
            assert action is not None
            action.triggered.connect(lambda _=False, r=run: r())
        if starts.names():
            gone = beginnings.addMenu("Delete a starting point")
            assert gone is not None
            for name in starts.names():
                action = gone.addAction(name)
                assert action is not None
                action.triggered.connect(lambda _=False, n=name: self._forget(n))
        entries = self.entries()
        for word, wanted in (("Samples", "sample"), ("Recent jobs", "recent")):
            further = menu.addMenu(word)
            assert further is not None
            further.setObjectName("pictured")
            for entry in (e for e in entries if e.kind == wanted):
                action = further.addAction(entry.icon, f"{entry.name}\t{entry.line}")
                assert action is not None
                action.triggered.connect(lambda _=False, e=entry: e.run())
            further.setEnabled(bool(further.actions()))

    def _forget(self, name: str) -> None:
        starts.forget(name)
        self.say(f"The starting point “{name}” is deleted.")

    def save_to(self, path: Path) -> bool:
        """See :class:`FileDesk`; a small picture of the part is kept for the list of recent jobs."""
        done = super().save_to(path)
        if done and self.session.path is not None:
            self._keep_picture(self.session.path)
        return done

    def _keep_picture(self, path: Path) -> None:
        """The sheet in small, beside the list of recent jobs."""
        sheet = self.stations["Steps"].drawing() if "Steps" in self.stations else None
        if sheet is not None and sheet.width() > ICON_PX[0]:
            small = sheet.grab().scaled(
                ICON_PX[0] * 2,
                ICON_PX[1] * 2,
                Qt.AspectRatioMode.KeepAspectRatio,
                Qt.TransformationMode.SmoothTransformation,
            )
            place = _picture_of(path)
            with contextlib.suppress(OSError):  # the job is saved all the same
                place.parent.mkdir(parents=True, exist_ok=True)
                small.save(str(place))


def _picture_of(path: Path) -> Path:
    """Where the picture of a recent job is."""
    import hashlib

    return recovery.picture_folder() / f"{hashlib.sha1(str(path.resolve()).encode()).hexdigest()[:16]}.png"
