"""Files of the window: new, open, save, G-code out, and what a crash left behind.

Trouble is told in words, and nothing that is in view is lost: a job is left only when its edits are
saved or given up.
"""

from __future__ import annotations

import sys
from pathlib import Path

from PyQt6.QtCore import QProcess, QSettings, QTemporaryDir
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QMainWindow, QMessageBox, QWidget

from bastler.core.demo import demo_job, new_job
from bastler.core.job.document import Job
from bastler.core.job.store import SUFFIX, dump, load, write_atomically
from bastler.core.job.units import in_units
from bastler.core.problems import Unusable
from bastler.core.quantities import Units
from bastler.ui import recovery
from bastler.ui.session import Session


class FileDesk(QMainWindow):
    """The part of the window that deals with files; the window itself builds what is seen."""

    session: Session
    _paper: QProcess | None = None

    def _open(self, job: Job, path: Path | None) -> None:
        raise NotImplementedError

    def _titles(self) -> None:
        raise NotImplementedError

    def say(self, text: str) -> None:
        """A sentence for the person."""
        raise NotImplementedError

    @staticmethod
    def _settings() -> QSettings:
        return QSettings(QSettings.Format.IniFormat, QSettings.Scope.UserScope, "bastler", "bastler")

    def _leave_job(self) -> bool:
        """Ask about unsaved edits; whether to go on."""
        if not self.session.dirty:
            self.session.recovery.clear()
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self,
            "Unsaved edits",
            f"“{self.session.job.name}” has edits that are not saved. Save them?",
            buttons.Save | buttons.Discard | buttons.Cancel,
        )
        if answer == buttons.Cancel:
            return False
        if answer == buttons.Save and not self.save():
            return False
        self.session.recovery.clear()
        return True

    def new(self) -> None:
        """An empty job with the sample tools."""
        if self._leave_job():
            self._open(new_job(), None)

    def open_demo(self) -> None:
        """The pressure plate."""
        if self._leave_job():
            self._open(demo_job(), None)

    def open_file(self) -> None:
        """Choose a job file."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a job", self._folder(), f"Jobs (*{SUFFIX})")
        if name and self._leave_job():
            self.open_path(Path(name))

    def open_path(self, path: Path) -> bool:
        """Open a job file; a file that can't be used is told and the job in view stays."""
        try:
            job = load(path)
        except Unusable as error:
            self._tell(str(error))
            return False
        recovery.remember(path)
        self._open(job, path)
        return True

    def _folder(self) -> str:
        return (
            str(self.session.path.parent)
            if self.session.path
            else str(self._settings().value("folder", str(Path.home())))
        )

    def save(self) -> bool:
        """Save where it came from, or ask."""
        return self.save_to(self.session.path) if self.session.path else self.save_as()

    def save_as(self) -> bool:
        """Ask for a name and save."""
        start = str(Path(self._folder()) / (self.session.job.name.lower().replace(" ", "-") + SUFFIX))
        name, _ = QFileDialog.getSaveFileName(self, "Save the job", start, f"Jobs (*{SUFFIX})")
        if not name:
            return False
        path = Path(name)
        return self.save_to(path if path.suffix else path.with_suffix(SUFFIX))

    def save_to(self, path: Path) -> bool:
        """Save to a path; trouble is told in words."""
        try:
            self.session.save(path)
        except Unusable as error:
            self._tell(str(error))
            return False
        self._settings().setValue("folder", str(path.parent))
        self.say(f"Saved as {path}.")
        return True

    def save_code(self) -> None:
        """Save the G-code in view; open questions and stop findings are asked about first."""
        s = self.session
        if s.hand_text is None:
            from bastler.core.planning.planner import plan

            obstacle = plan(s.job, s.at).first_obstacle()
            if obstacle:
                self._tell(f"There is no complete program yet. {obstacle}")
                return
            if s.checking is not None or s.checked is None:
                self.say("The check is still running. Save once it is done.")
                return
        if s.checked is None:
            return
        if s.checked.stops:
            first = next(f for f in s.checked.findings if f.severity == "stop")
            buttons = QMessageBox.StandardButton
            answer = QMessageBox.warning(
                self, "Stop findings", f"{s.checked.stops} stop finding(s), the first: {first.text}\n\nSave the G-code all the same?",
                buttons.Save | buttons.Cancel, buttons.Cancel,
            )  # fmt: skip
            if answer != buttons.Save:
                return
        start = str(Path(self._folder()) / f"{self._file_stem()}.nc")
        name, _ = QFileDialog.getSaveFileName(self, "Save the G-code", start, "G-code (*.nc *.txt)")
        if name:
            try:
                write_atomically(Path(name), s.checked.program.text.encode())
            except Unusable as error:
                self._tell(str(error))
                return
            self._settings().setValue("output", name)
            self._settings().setValue("folder", str(Path(name).parent))
            self.say(f"G-code saved as {name}.")

    def _file_stem(self) -> str:
        """A file name from the job's, with the number of the setup where there are several."""
        s = self.session
        several = f"-{s.at + 1}" if len(s.job.setups) > 1 else ""
        return s.job.name.lower().replace(" ", "-") + several

    def copy_code(self) -> None:
        """The G-code of the last check into the clipboard."""
        clipboard = QGuiApplication.clipboard()
        if self.session.checked is not None and clipboard is not None:
            clipboard.setText(self.session.checked.program.text)
            self.say(f"{len(self.session.checked.program.lines)} lines of G-code copied.")

    def difference(self) -> list[str] | None:
        """Lines that differ from the last saved output; ``None`` if nothing was saved yet."""
        path = Path(str(self._settings().value("output", "")))
        if self.session.checked is None or not path.is_file():
            return None
        old = path.read_text("utf-8", "replace").splitlines()
        from difflib import unified_diff

        return list(unified_diff(old, self.session.checked.program.lines, "saved", "now", lineterm="", n=1))

    def compare_code(self) -> None:
        """Show what changed since the G-code was saved."""
        lines = self.difference()
        if lines is None:
            self.say("No G-code was saved yet, so there is nothing to compare with.")
        elif not lines:
            self.say("The G-code is the same as when it was last saved.")
        else:
            box = QMessageBox(self)
            box.setWindowTitle("Changed since it was saved")
            changed = [line for line in lines if line[:1] in "+-" and line[:3] not in ("+++", "---")]
            box.setText(f"{len(changed)} lines are new or gone since the G-code was saved.")
            box.setInformativeText("\n".join(changed[:24]) + ("\n…" if len(changed) > 24 else ""))
            box.setDetailedText("\n".join(lines))
            box.exec()

    def save_paper(self) -> None:
        """The setup sheet as PDF or page, made by a process of its own from the job as it stands."""
        obstacle = self.session.plan.first_obstacle()
        if obstacle:
            self._tell(f"The setup sheet needs a complete job. {obstacle}")
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
        process.start(
            sys.executable, ["-m", "bastler", "export", str(source), option, name, "--setup", str(self.session.at + 1)]
        )

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
        trouble = process.readAllStandardError().data().decode("utf-8", "replace").strip().splitlines()
        told = [line for line in trouble if line.startswith("bastler:")]
        self.say(
            f"Setup sheet saved as {name}." if code == 0 else told[-1] if told else "The setup sheet could not be made."
        )
        process.deleteLater()

    def save_picture(self, picture: QWidget) -> None:
        """Save a drawing or the solid view: SVG, PDF or PNG by its ending."""
        start = str(Path(self._folder()) / (self.session.job.name.lower().replace(" ", "-") + ".svg"))
        name, _ = QFileDialog.getSaveFileName(
            self, "Save the picture", start, "Drawing (*.svg);;PDF (*.pdf);;Picture (*.png)"
        )
        if name:
            from bastler.ui.paper import draw_sheet

            try:
                draw_sheet(picture, Path(name))
                self.say(f"Picture saved as {name}.")
            except Unusable as error:
                self._tell(str(error))

    def print_picture(self, picture: QWidget) -> None:
        """Print a drawing or the solid view."""
        from PyQt6.QtPrintSupport import QPrintDialog, QPrinter

        from bastler.ui.paper import print_sheet

        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        if QPrintDialog(printer, self).exec() == QPrintDialog.DialogCode.Accepted:
            print_sheet(picture, printer)
            self.say("The picture is on its way to the printer.")

    def change_units(self) -> None:
        """Ask what the numbers should do, then change the job's units."""
        old = self.session.job.units
        new: Units = "inch" if old == "mm" else "mm"
        box = QMessageBox(self)
        box.setWindowTitle("Change units")
        box.setText(f"The job is in {old}. In {new}, shall the part keep its size, or the numbers their value?")
        size = box.addButton("Keep the size", QMessageBox.ButtonRole.AcceptRole)
        value = box.addButton("Keep the numbers", QMessageBox.ButtonRole.AcceptRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.exec()
        if box.clickedButton() in (size, value):
            self.use_units(new, keep_size=box.clickedButton() is size)

    def use_units(self, units: Units, *, keep_size: bool) -> None:
        """Change the job's units; one edit that can be taken back."""
        self.session.edit(in_units(self.session.job, units, keep_size=keep_size))
        self.say(
            f"The job is in {units} now; the {'part keeps its size' if keep_size else 'numbers keep their value'}."
        )

    def _tell(self, text: str) -> None:
        QMessageBox.information(self, "Bastler", text)

    def offer_recovery(self) -> None:
        """What a crash left behind is offered once."""
        left = recovery.left_behind()
        if not left:
            return
        newest = left[0]
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self, "Edits found", f"Bastler ended without closing. “{newest.job.name}” has edits that were not saved. Go on with them?",
            buttons.Yes | buttons.No,
        )  # fmt: skip
        if answer == buttons.Yes:
            self.recover(newest)
        else:
            for one in left:
                one.slot.unlink(missing_ok=True)

    def recover(self, left: recovery.Left) -> None:
        """Take a job that a crash left, as unsaved edits of its file."""
        base = None
        if left.path is not None:
            try:
                base = load(left.path)
            except Unusable:
                base = None
        self._open(left.job, left.path)
        self.session.saved_job = base if base is not None else new_job()
        self.session.recovery.write(left.job, left.path)
        left.slot.unlink(missing_ok=True)
        self._titles()
