"""Program text: a few lines of the person's own G-code, checked like the rest.

They stand in the program as typed. Afterwards the next step takes its tool, speed and offsets anew,
since what the lines left behind is not Bastler's to guess.
"""

from __future__ import annotations

from bastler.core.cycles.base import Cycle, Pick, no_marks
from bastler.core.fields import Field, Values
from bastler.core.moves import Move, OwnText
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units

MOST_LINES = 500


def _lines(v: Values) -> tuple[str, ...]:
    return tuple(line.rstrip() for line in str(v.text).split("\n") if line.strip())


def _problems(v: Values, _: Work) -> list[Problem]:
    found = []
    if len(_lines(v)) > MOST_LINES:
        found.append(
            Problem(
                "text",
                f"More than {MOST_LINES} lines are a program of their own. Check them with the Code station instead.",
            )
        )
    for i, line in enumerate(_lines(v), 1):
        strange = next((c for c in line if not (c.isascii() and c.isprintable()) and c != "\t"), None)
        if strange:
            sign = f"“{strange}”" if strange.isprintable() else "a sign that can't be seen"
            found.append(Problem("text", f"Line {i} has {sign}, which no control reads. Use plain letters."))
            break
        if line.upper().replace(" ", "") in ("M2", "M02", "M30", "%"):
            found.append(
                Problem("text", f"Line {i} (“{line}”) would end the program before its other steps. Take it out.")
            )
            break
    return found  # fmt: skip


def _plan(v: Values, w: Work) -> list[Move]:
    return [OwnText(_lines(v))]


def _title(v: Values, _: Units) -> str:
    return str(v.get("text", "")).strip().split("\n")[0] or "own lines"


def _sample(pick: Pick, _: Work) -> dict[str, str]:
    return {"text": pick.choice(("(look at it)\nG4 P200", "M9\nG4 P100\nM8"))}


CYCLE = Cycle(
    id="text",
    rank=90,
    name="Program text",
    words=("text", "program", "own", "code", "lines", "gcode"),
    summary="A few lines of your own G-code",
    tool_kinds=(),
    fields=(Field("text", "Lines", "Size", Kind.LINES, "Which lines of G-code stand here? The next step takes its tool and speed anew."),),
    pictogram=(("frame", 0.1, 0.15, 0.8, 0.7), ("fill", 0.2, 0.28, 0.3, 0.08), ("fill", 0.2, 0.46, 0.55, 0.08), ("fill", 0.2, 0.64, 0.42, 0.08)),
    problems=_problems,
    plan=_plan,
    marks=no_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
