"""A stranger's job does nothing: no text of it is read as marks, no file of the current folder is run."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QMessageBox, QWidget

from bastler.core.benches import post
from bastler.core.demo import demo_job
from bastler.core.job.document import Job
from bastler.core.jobfiles.store import dump
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.post.program import lines_of
from bastler.ui import ask
from tests.damage import demo_jobs
from tests.ui.conftest import Person

STATIONS = (("Setup", Qt.Key.Key_1), ("Steps", Qt.Key.Key_2), ("Check", Qt.Key.Key_3), ("Code", Qt.Key.Key_4))
PAGES = ("Stock and zero", "Tools", "Magazine", "Patterns", "Machine", "Material")
PICTURE = '<img src="/dev/zero">'
SPY = "import pathlib; pathlib.Path(__file__).with_name('ran').touch()\n"


def hostile(job: Job) -> Job:
    """Every name and free text of a job is a mark."""

    def named(records: tuple) -> tuple:  # type: ignore[type-arg]
        return tuple(r.changed(name=PICTURE) for r in records)

    setups = tuple(s.changed(steps=named(s.steps), values={**s.values, "program_comment": PICTURE}) for s in job.setups)
    return job.changed(
        name=PICTURE, tools=named(job.tools), patterns=named(job.patterns), contours=named(job.contours), setups=setups
    )


def widgets(root: QWidget) -> Iterator[QWidget]:
    yield root
    yield from root.findChildren(QWidget)


def reads_no_marks(root: QWidget) -> None:
    """Labels are plain, or rich with everything foreign escaped; tool tips are no marks."""
    for widget in widgets(root):
        if isinstance(widget, QLabel):
            assert widget.textFormat() != Qt.TextFormat.AutoText, f"{widget.text()!r}: use bastler.ui.plain.label.Label"
            if widget.textFormat() == Qt.TextFormat.RichText:
                assert "<img" not in widget.text()
        assert not Qt.mightBeRichText(widget.toolTip()), widget.toolTip()


@pytest.mark.parametrize("machine", ["small-mill-mm", "small-lathe-mm"])
def test_no_widget_reads_a_text_as_marks(open_window: Callable[..., Person], machine: str) -> None:
    job = next(j for j in demo_jobs() if j.setups[0].machine == machine)
    person = open_window(hostile(job))
    person.checked()
    for word, key in STATIONS:
        person.control(key)
        person.settle()
        for page in PAGES if word == "Setup" else ("",):
            if page:
                person.station("Setup").show_page(page)
                person.settle()
            reads_no_marks(person.window)
    person.control(Qt.Key.Key_2)
    for step in person.window.session.steps:
        person.window.session.select(step.id)
        person.settle()
        reads_no_marks(person.window)
    person.window.show_overview()
    person.settle()
    reads_no_marks(person.window)
    person.window.say(PICTURE)
    person.steps.open_add()
    reads_no_marks(person.window)


@pytest.mark.parametrize(
    "asks", [lambda w: ask.tell(w, PICTURE), lambda w: ask.choose(w, "", PICTURE, ("Yes",), more=PICTURE)]
)
def test_no_question_reads_a_text_as_marks(
    demo: Person, asks: Callable[[QWidget], object], monkeypatch: pytest.MonkeyPatch
) -> None:
    seen: list[QMessageBox] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: seen.append(box) or 0)
    asks(demo.window)
    assert seen[0].textFormat() == Qt.TextFormat.PlainText
    progress = ask.progress(PICTURE, demo.window)
    reads_no_marks(progress)
    progress.close()


def test_the_source_has_no_other_labels() -> None:
    """Where a test does not come: every label is the one kind that shows plain text."""
    ui = Path(sys.modules["bastler.ui"].__path__[0])
    for file in ui.rglob("*.py"):
        text = file.read_text()
        if file.name not in ("label.py",):
            assert "QLabel(" not in text, file
        if file.name != "ask.py":
            assert "QMessageBox" not in text, file


@pytest.mark.parametrize("words", [["check", "JOB", "--json"], ["export", "JOB", "--html", "OUT"]])
def test_modules_in_the_current_folder_are_not_run(tmp_path: Path, words: list[str]) -> None:
    """The workers of the window run with whatever folder is current."""
    for name in ("bastler", "numpy", "json", "jinja2", "html"):
        (tmp_path / f"{name}.py").write_text(SPY)
    (tmp_path / "job.bastler").write_bytes(dump(demo_job()))
    given = [
        str(tmp_path / "job.bastler") if w == "JOB" else str(tmp_path / "out.html") if w == "OUT" else w for w in words
    ]
    done = subprocess.run(
        [sys.executable, "-P", "-m", "bastler", *given], cwd=tmp_path, capture_output=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert not (tmp_path / "ran").exists()


def test_the_check_of_a_window_in_a_strange_folder(
    open_window: Callable[..., Person], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "bastler.py").write_text(SPY)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))  # a check of its own, started from here
    monkeypatch.chdir(tmp_path)
    person = open_window(demo_job())
    person.checked()
    person.window.solid.view.wake()
    person.until(lambda: person.window.solid.view.picture is not None)
    assert not (tmp_path / "ran").exists()
    monkeypatch.chdir(os.environ["HOME"])


@pytest.mark.parametrize("sign", ["\x0c", "\x0b", "\x1c", "\x85", "\u2028", "\r", "\0", "\x1b[2J", "\ud83d"])
def test_signs_that_nobody_sees_stay_out_of_the_program(sign: str) -> None:
    """Each line of the text belongs to the step that the map says, and holds only what a control can read."""
    for job in demo_jobs():
        odd = hostile(job)
        name = f"a{sign}b"
        setups = tuple(
            s.changed(
                steps=tuple(one.changed(name=name) for one in s.steps), values={**s.values, "program_comment": name}
            )
            for s in odd.setups
        )
        odd = odd.changed(name=name, tools=tuple(t.changed(name=name) for t in odd.tools), setups=setups)
        for index in range(len(odd.setups)):
            planned = plan(odd, index)
            program = post(planned, dialects()[planned.frame.machine.dialect])
            assert all(c == "\n" or (c.isascii() and c.isprintable()) for c in program.text)
            assert len(lines_of(program.text)) == len(program.step_of_line)
