"""What leaves the window: G-code, setup sheet, pictures. It is made from what is in view at that moment, and says whether it is checked."""

from __future__ import annotations

import re
import sys
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import QProcess, QSettings, QTemporaryDir
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QMainWindow, QWidget

from bastler.core.diskfiles import read_file, write_atomically
from bastler.core.jobfiles.store import SUFFIX, dump
from bastler.core.planner import plan
from bastler.core.post.program import lines_of, with_remark
from bastler.core.problems import Unusable
from bastler.ui import ask
from bastler.ui.checker import Checker
from bastler.ui.session import Session

UNCHECKED = "NOT CHECKED"
LARGEST_BYTES = 400_000_000
SHOWN_LINES = 24


class Outgoing(Struct, frozen=True):
    """A program that leaves: its text, and whether exactly this was checked."""

    text: str
    checked: bool

    @property
    def remark(self) -> str:
        """What a message says of it, behind a comma."""
        return ", checked" if self.checked else ", not checked"


class OutputDesk(QMainWindow):
    """The part of the window that hands things out."""

    session: Session
    checker: Checker
    _paper: QProcess | None = None

    def say(self, text: str) -> None:
        """A sentence for the person."""
        raise NotImplementedError

    @staticmethod
    def _settings() -> QSettings:
        return QSettings(QSettings.Format.IniFormat, QSettings.Scope.UserScope, "bastler", "bastler")

    def _folder(self) -> str:
        """Where a file is offered first."""
        if self.session.path:
            return str(self.session.path.parent)
        return str(self._settings().value("folder", str(Path.home())))

    def _plain_name(self) -> str:
        """The job's name as a file name has it."""
        return re.sub(r"[^\w.]+", "-", self.session.job.name.lower())[:80].strip("-.") or "job"

    def _file_stem(self) -> str:
        """A file name from the job's, with the number of the setup where there are several."""
        several = f"-{self.session.at + 1}" if len(self.session.job.setups) > 1 else ""
        return self._plain_name() + several

    def _suffix(self) -> str:
        """How the dialect's files end."""
        from bastler.core.post.dialect import dialects

        return dialects()[self.session.plan.frame.machine.dialect].extension

    # G-code

    def posted(self) -> str:
        """The text as it is now: one's own, or posted from the job. Raises :class:`Unusable` while the job asks for something."""
        s = self.session
        if s.hand_text is not None:
            return s.hand_text
        if s.is_checked and s.checked is not None and (obstacle := s.plan.first_obstacle()) is None:
            return s.checked.program.text
        from bastler.core.benches import post
        from bastler.core.post.dialect import dialects

        planned = plan(s.job, s.at)
        if obstacle := planned.first_obstacle():
            raise Unusable(f"There is no complete program yet. {obstacle}")
        return post(planned, dialects()[planned.frame.machine.dialect]).text

    def outgoing(self, verb: str) -> Outgoing | None:
        """The program as it leaves, once its check is there or the person goes on without; ``None``: not now."""
        s = self.session
        try:
            text = self.posted()
        except Unusable as error:
            ask.tell(self, str(error))
            return None
        if not s.is_checked and not self._waited(verb):
            return None
        if not s.is_checked or s.checked is None:
            return Outgoing(with_remark(text, UNCHECKED), False)
        stops = [f.text for f in s.checked.findings if f.severity == "stop"]
        if stops:
            many = (
                f"{len(stops)} things that must be changed, the first"
                if len(stops) > 1
                else "1 thing that must be changed"
            )
            question = f"The check found {many}: {stops[0]}\n\n{verb} the G-code all the same?"
            if ask.choose(self, "Must be changed", question, (verb,)) != verb:
                return None
        return Outgoing(self.posted(), True)

    def _waited(self, verb: str) -> bool:
        """Wait for the check of what is in view; false if the person leaves it. Going on without it is possible."""
        s = self.session
        waiting = ask.Waiting(self, "The program as it is now is being checked …", f"{verb} without the check")

        def arrived() -> None:
            if s.is_checked:
                waiting.accept()

        def came_on(share: float) -> None:
            waiting.bar.setValue(round(100 * share))

        listeners = (
            (s.checked_changed, arrived),
            (self.checker.progress, came_on),
            (self.checker.trouble, waiting.label.setText),
        )
        for signal, listener in listeners:
            signal.connect(listener)
        if not self.checker.busy:
            self.checker.ask()
        waiting.exec()
        for signal, listener in listeners:
            signal.disconnect(listener)
        waiting.deleteLater()
        return s.is_checked or waiting.went_on

    def save_code(self) -> None:
        """Save the G-code of what is in view."""
        out = self.outgoing("Save")
        if out is None:
            return
        start = str(Path(self._folder()) / f"{self._file_stem()}{self._suffix()}")
        name, _ = QFileDialog.getSaveFileName(self, "Save the G-code", start, f"G-code (*{self._suffix()} *.txt)")
        if name:
            try:
                note = write_atomically(Path(name), out.text.encode("utf-8", "replace"))
            except Unusable as error:
                ask.tell(self, str(error))
                return
            self._settings().setValue("output", name)
            self._settings().setValue("folder", str(Path(name).parent))
            self.say(f"G-code saved as {name}{out.remark}. {note}".rstrip())

    def copy_code(self) -> None:
        """The G-code of what is in view into the clipboard."""
        out, clipboard = self.outgoing("Copy"), QGuiApplication.clipboard()
        if out is not None and clipboard is not None:
            clipboard.setText(out.text)
            self.say(f"{len(lines_of(out.text))} lines of G-code copied{out.remark}.")

    def difference(self) -> list[str] | None:
        """Lines in which the program as it is now differs from the last saved one; ``None`` if nothing was saved yet.

        Raises :class:`Unusable` while there is no program.
        """
        path = Path(str(self._settings().value("output", "")))
        if not path.is_file():
            return None
        old = read_file(path, LARGEST_BYTES, "larger than any program").decode("utf-8", "replace")
        from difflib import unified_diff

        return list(unified_diff(lines_of(old), lines_of(self.posted()), "saved", "now", lineterm="", n=1))

    def compare_code(self) -> None:
        """Show what changed since the G-code was saved."""
        try:
            lines = self.difference()
        except Unusable as error:
            ask.tell(self, str(error))
            return
        if lines is None:
            self.say("No G-code was saved yet, so there is nothing to compare with.")
        elif not lines:
            self.say("The G-code is the same as when it was last saved.")
        else:
            changed = [line for line in lines if line[:1] in "+-" and line[:3] not in ("+++", "---")]
            are = f"{len(changed)} lines are" if len(changed) > 1 else "1 line is"
            shown = "\n".join(changed[:SHOWN_LINES]) + ("\n…" if len(changed) > SHOWN_LINES else "")
            text = f"{are} new or gone since the G-code was saved."
            ask.choose(
                self, "Changed since it was saved", text, (), leave="Close", more=shown, details="\n".join(lines)
            )

    # setup sheet

    def save_paper(self) -> None:
        """The setup sheet as PDF or page, made and checked by a process of its own from the job as it stands."""
        obstacle = self.session.plan.first_obstacle()
        if obstacle:
            ask.tell(self, f"The setup sheet needs a complete job. {obstacle}")
            return
        start = str(Path(self._folder()) / f"{self._file_stem()}-setup.pdf")
        name, _ = QFileDialog.getSaveFileName(
            self, "Save the setup sheet", start, "PDF (*.pdf);;Page for a browser (*.html)"
        )
        if not name:
            return
        work = QTemporaryDir()
        source = Path(work.filePath(f"job{SUFFIX}"))
        source.write_bytes(dump(self.session.job))
        process = self._paper = QProcess(self)
        process.finished.connect(lambda code, _: self._paper_done(name, code, process, work))
        self.say("The setup sheet is being made … (Ctrl+. cancels)")
        option = "--html" if name.endswith(".html") else "--pdf"
        words = ["export", str(source), option, name, "--setup", str(self.session.at + 1)]
        process.start(sys.executable, ["-P", "-m", "bastler", *words])

    def cancel_paper(self) -> None:
        """Stop the setup sheet that is being made."""
        if self._paper is not None:
            self._paper.kill()

    def _paper_done(self, name: str, code: int, process: QProcess, work: QTemporaryDir) -> None:
        work.remove()
        self._paper = None
        if process.exitStatus() == QProcess.ExitStatus.CrashExit:
            self.say("The setup sheet was cancelled.")
            process.deleteLater()
            return
        trouble = process.readAllStandardError().data().decode("utf-8", "replace").strip().split("\n")
        told = [line for line in trouble if line.startswith("bastler:")]
        self.say(
            f"Setup sheet saved as {name}." if code == 0 else told[-1] if told else "The setup sheet could not be made."
        )
        process.deleteLater()

    # pictures

    def save_picture(self, picture: QWidget) -> None:
        """Save a drawing or the solid view: SVG, PDF or PNG by its ending."""
        start = str(Path(self._folder()) / f"{self._plain_name()}.svg")
        name, _ = QFileDialog.getSaveFileName(
            self, "Save the picture", start, "Drawing (*.svg);;PDF (*.pdf);;Picture (*.png)"
        )
        if name:
            from bastler.ui.paper import draw_sheet

            try:
                draw_sheet(picture, Path(name))
                self.say(f"Picture saved as {name}.")
            except Unusable as error:
                ask.tell(self, str(error))

    def print_picture(self, picture: QWidget) -> None:
        """Print a drawing or the solid view."""
        from PyQt6.QtPrintSupport import QPrintDialog, QPrinter

        from bastler.ui.paper import print_sheet

        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        if QPrintDialog(printer, self).exec() == QPrintDialog.DialogCode.Accepted:
            print_sheet(picture, printer)
            self.say("The picture is on its way to the printer.")
