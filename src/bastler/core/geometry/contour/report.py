"""The answer to a contour file, as one JSON object."""

from __future__ import annotations

from bastler.core.data import Table
from bastler.core.geometry.contour.answers import Answer, Member
from bastler.core.geometry.contour.corners import NoRoom, with_corners
from bastler.core.geometry.contour.facts import PLANES, Contour, named, shown, word
from bastler.core.geometry.contour.search import Result, Trouble
from bastler.core.geometry.contour.solve import solve


def solved_with_corners(contour: Contour, result: Result) -> Result:
    """The result with corners put in; answers in which one doesn't fit fall away, all of them make a conflict."""
    if result.status != "solved":
        return result
    from msgspec.structs import replace

    answers, troubles = [], list[Trouble]()
    for answer in result.answers:
        try:
            answers.append(with_corners(answer, contour))
        except NoRoom as no:
            troubles.append(Trouble(no.element, no.text, "corner"))
    if not answers:
        return replace(result, status="conflict", answers=(), troubles=tuple(troubles[:1]))
    answers.sort(key=lambda a: a.length)
    return replace(result, answers=tuple(answers))


def differences(contour: Contour, answer: Answer) -> list[tuple[int, str]]:
    """By how much redundant facts are off: the element and a sentence for each."""
    return [
        (i, f"{named(contour.elements, i)}: {word(contour.plane, key)} {shown(contour, key, contour.elements[i].get(key) or 0.0)} is off by {shown(contour, key, by, 6)}; the end points are kept.")
        for i, key, by in answer.off
    ]  # fmt: skip


def report(contour: Contour) -> Table:
    """What ``bastler contour --json`` prints. ``element`` and ``corner_of`` count from 0, as in the file's list."""
    result = solved_with_corners(contour, solve(contour))
    problems = [{"element": t.element, "text": t.text} for t in result.troubles]
    if result.answers:
        problems += [{"element": i, "text": text} for i, text in differences(contour, result.answers[0])]
    if result.more:
        problems.append({"element": 0, "text": f"There are more answers; these are {len(result.answers)}. Give one more fact."})  # fmt: skip
    found: Table = {
        "status": result.status,
        "missing": result.missing,
        "solutions": [
            {"length": a.length, "elements": [element(m, contour.plane) for m in a.members]} for a in result.answers
        ],
        "problems": problems,
    }
    if result.status == "open":
        found["certain"] = [{"element": m.source, **element(m, contour.plane)} for m in result.certain]
    return found


def element(m: Member, plane: str) -> Table:
    """One solved element in the file's words."""
    names, times = PLANES[plane].names, PLANES[plane].times
    x, y = names["x"][0], names["y"][0]
    double = times.get("y", 1.0)
    one: Table = {
        "type": "arc" if m.centre is not None else "line",
        f"{x}0": m.start[0], f"{y}0": m.start[1] * double, f"{x}1": m.end[0], f"{y}1": m.end[1] * double,
    }  # fmt: skip
    if m.centre is not None:
        one |= {names["cx"][0]: m.centre[0], names["cy"][0]: m.centre[1] * double, "radius": m.radius, "dir": "ccw" if m.ccw else "cw"}  # fmt: skip
    if m.corner:
        one["corner_of"] = m.source
    return one
