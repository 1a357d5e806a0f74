"""Copying steps by way of the desktop's clipboard: within a job, into another job, into another window."""

from __future__ import annotations

from PyQt6.QtCore import QMimeData
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QWidget

from bastler.core.job.document import Job
from bastler.core.jobfiles import clip
from bastler.core.problems import Unusable
from bastler.core.quantities import counted
from bastler.ui import ask
from bastler.ui.session import Session

LARGEST_BYTES = 5_000_000


def copy_steps(session: Session, ids: tuple[str, ...]) -> None:
    """Put steps and what they use on the clipboard; as text their names."""
    board = QGuiApplication.clipboard()
    if board is None or not ids:
        return
    data = QMimeData()
    data.setData(clip.MIME, clip.packed(clip.clip_of(session.job, session.at, ids)))
    data.setText("\n".join(s.full_name for s in session.plan.steps if s.step.id in ids))
    board.setMimeData(data)
    session.message.emit(
        f"{counted(len(ids), 'step')} copied. Ctrl+V puts {'it' if len(ids) == 1 else 'them'} behind the selected step."
    )


def cut_steps(session: Session, ids: tuple[str, ...]) -> None:
    """Copy steps and take them out."""
    copy_steps(session, ids)
    session.delete_steps(ids)


def paste_steps(window: QWidget, session: Session) -> None:
    """Put the clipboard's steps behind the selected one; a number that is another tool here is asked about."""
    board = QGuiApplication.clipboard()
    held = board.mimeData() if board is not None else None
    if held is None or not held.hasFormat(clip.MIME):
        session.message.emit("No steps were copied yet. Ctrl+C copies the selected ones.")
        return
    data = held.data(clip.MIME).data()
    try:
        if len(data) > LARGEST_BYTES:
            raise Unusable("What was copied is too large to be steps.")
        carried = clip.unpacked(data)
    except Unusable as error:
        session.message.emit(str(error))
        return
    kind, there = session.plan.frame.machine.kind, _kind_of(carried)
    if there and there != kind:
        session.message.emit(f"These steps are for a {there}; this setup is on a {kind}.")
        return
    numbers = _settled(window, session, carried)
    if numbers is None:
        return
    job, steps = clip.put(session.job, session.at, session.index_of(session.selected), carried, numbers)
    session.edit(job)
    session.select(steps[0].id if steps else session.selected)


def _kind_of(carried: Job) -> str:
    from bastler.core.tooling.machines import machines

    known = machines().get(carried.setups[0].machine)
    return known.kind if known is not None else ""


def _settled(window: QWidget, session: Session, carried: Job) -> dict[int, int] | None:
    """For tools whose number is another tool here: the number that the steps take; ``None``: leave it."""
    numbers: dict[int, int] = {}
    taken = {t.number for t in (*session.job.tools, *carried.tools)}
    for theirs, here in clip.clashes(session.job, carried):
        free = next(n for n in range(1, 100_000) if n not in taken)
        text = (
            f"T{here.number} is “{here.name}” here; in the copied steps it is “{theirs.name}”. Which one do they use?"
        )
        add = f"Add theirs as T{free}"
        answer = ask.choose(window, "Another tool", text, (f"T{here.number}, {here.name}", add))
        if answer == "Cancel":
            return None
        if answer == add:
            numbers[theirs.number] = free
            taken.add(free)
    return numbers
