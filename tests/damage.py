"""Damaged jobs and programs: what a person could type, a program could write, a disk could spoil. Drawn from a seed.

*Job damage*: entries of a demo job of either machine are exchanged for nonsense, emptied, taken from elsewhere; tools change
their kind, lists lose or repeat members. *Program damage*: letters, numbers and lines of a posted text are exchanged.
"""

from __future__ import annotations

import json
import random
from functools import cache
from pathlib import Path
from typing import Any

from bastler.core.benches import post
from bastler.core.cycles import cycles
from bastler.core.fields import Field
from bastler.core.job.chucking import FIELDS as CHUCKING_FIELDS
from bastler.core.job.clamping import FIELDS
from bastler.core.job.document import Job
from bastler.core.jobfiles.store import dump, load, parse
from bastler.core.planner import plan
from bastler.core.plans.choices import tool_choices
from bastler.core.plans.magazine import magazine
from bastler.core.plans.plan import Plan
from bastler.core.post.dialect import dialects
from bastler.core.problems import Unusable
from bastler.core.quantities import Kind
from bastler.core.tooling.kinds import KINDS
from bastler.core.tooling.machines import machines

EXAMPLES = Path(__file__).parents[1] / "examples"
NUMBERS = (
    "0",
    "1",
    "2",
    "5",
    "8",
    "10",
    "12.5",
    "20",
    "60/2",
    "100",
    "-5",
    "-40",
    "0.0001",
    "9999",
    "99999",
    "1in",
    "1,5",
    "3/8",
)
NONSENSE = ("", "abc", "1/0", "nan", "inf", "1e99", "2**99999", "²", "½", "٣", "Ø5", "2*", "0x10", "5^3", "#", "~", "3;4", "yes", "no",
            "12, 12; 188, 12", "1; 2; 3", "M8", "M40x1.5", "Tr 24x10P5 LH", "G 1/4", "0.00001", "1000000", "\u0000", "\x0c", "<img src=x>", "(" * 90)  # fmt: skip
BYTES = (
    b"0",
    b"-",
    b".",
    b"G",
    b"#1",
    b"[",
    b"]",
    b"M98",
    b"X",
    b" ",
    b"\x0c",
    b"\xff",
    b"(",
    b"9" * 40,
    b"U-1",
    b"G96",
    b"P1",
    b"Q0.0001",
    b"\n",
)


@cache
def demo_jobs() -> tuple[Job, ...]:
    """The demo jobs of both machines."""
    return tuple(load(path) for path in sorted(EXAMPLES.glob("*.bastler")))


def damaged_job(seed: int) -> Job | None:
    """A demo job with one to four damages; ``None`` where it is no job file any more, which is said in a sentence."""
    dice = random.Random(seed)
    raw = json.loads(dump(dice.choice(demo_jobs())))
    for _ in range(dice.choice((1, 1, 2, 3, 4))):
        dice.choice(
            (_type, _type, _type, _type, _add, _add, _take, _exchange, _rekind, _drop, _double, _machine, _fact)
        )(raw, dice)
    try:
        return parse(json.dumps(raw).encode(), "it.bastler")
    except Unusable as error:
        assert str(error).endswith("."), error
        return None


def _tables(raw: dict[str, Any]) -> list[dict[str, str]]:
    """Every table of typed values in a job."""
    records = [
        *raw["tools"],
        *raw["patterns"],
        *raw["contours"],
        *raw["setups"],
        *(s for one in raw["setups"] for s in one["steps"]),
    ]
    return [r["values"] for r in records]


def _keys(raw: dict[str, Any], table: dict[str, str], dice: random.Random) -> list[str]:
    """Keys that a table has, or that its cycle knows."""
    return [*table, *(f.key for f in _fields(raw, table))] or ["depth"]


def _fields(raw: dict[str, Any], table: dict[str, str]) -> tuple[Field, ...]:
    """The fields that a table answers."""
    for setup in raw["setups"]:
        if setup["values"] is table:
            return (*FIELDS, *CHUCKING_FIELDS)
        for step in setup["steps"]:
            if step["values"] is table:
                return cycles()[step["cycle"]].fields
    kind = next((t["kind"] for t in raw["tools"] if t["values"] is table), "")
    return KINDS[kind].fields if kind in KINDS else ()


def _type(raw: dict[str, Any], dice: random.Random) -> None:
    table = dice.choice(_tables(raw))
    table[dice.choice(_keys(raw, table, dice))] = dice.choice(dice.choice((NUMBERS, NUMBERS, NONSENSE)))


def _take(raw: dict[str, Any], dice: random.Random) -> None:
    table = dice.choice(_tables(raw))
    if table:
        del table[dice.choice(list(table))]


def _exchange(raw: dict[str, Any], dice: random.Random) -> None:
    """A value from elsewhere in the job, or another choice of its field."""
    one, other = dice.choice(_tables(raw)), dice.choice(_tables(raw))
    chosen = [(table, f) for table in _tables(raw) for f in _fields(raw, table) if f.choices or f.kind is Kind.FLAG]
    if chosen and dice.random() < 0.6:
        table, field = dice.choice(chosen)
        table[field.key] = dice.choice([k for k, _ in field.choices] or ["yes", "no"])
    elif other:
        one[dice.choice(_keys(raw, one, dice))] = dice.choice(list(other.values()))


def _rekind(raw: dict[str, Any], dice: random.Random) -> None:
    """A tool becomes one of another kind, or has another's number."""
    tool = dice.choice(raw["tools"])
    if dice.random() < 0.7:
        tool["kind"] = dice.choice(sorted(KINDS))
    else:
        tool["number"] = dice.choice((0, -3, 1, 2, 5, 99_999, dice.choice(raw["tools"])["number"]))


def _lists(raw: dict[str, Any]) -> list[list[Any]]:
    found = [
        raw["tools"],
        raw["patterns"],
        raw["contours"],
        *(s["steps"] for s in raw["setups"]),
        *(c["elements"] for c in raw["contours"]),
    ]
    return [one for one in found if one]


def _drop(raw: dict[str, Any], dice: random.Random) -> None:
    one = dice.choice(_lists(raw))
    del one[dice.randrange(len(one))]


def _double(raw: dict[str, Any], dice: random.Random) -> None:
    """A member again elsewhere in its list, a step with an id of its own."""
    one = dice.choice(_lists(raw))
    copy = json.loads(json.dumps(dice.choice(one)))
    if "cycle" in copy:
        copy["id"] = f"{dice.randrange(10**8):08d}"
    one.insert(dice.randrange(len(one) + 1), copy)


def _machine(raw: dict[str, Any], dice: random.Random) -> None:
    dice.choice(raw["setups"])["machine"] = dice.choice([*sorted(machines()), "gone"])


def _add(raw: dict[str, Any], dice: random.Random) -> None:
    """A step of any cycle somewhere, answered by chance."""
    steps = dice.choice(raw["setups"])["steps"]
    cycle = dice.choice(sorted(cycles()))
    values = {f.key: _answer(f, raw, dice) for f in cycles()[cycle].fields if dice.random() < 0.7}
    steps.insert(
        dice.randrange(len(steps) + 1), {"id": f"{dice.randrange(10**8):08d}", "cycle": cycle, "values": values}
    )


def _answer(field: Field, raw: dict[str, Any], dice: random.Random) -> str:
    """Something that may stand in a field, or nonsense."""
    known = [k for k, _ in field.choices] or {
        Kind.FLAG: ["yes", "no"],
        Kind.TOOL: [str(t["number"]) for t in raw["tools"]],
        Kind.CONTOUR: [c["id"] for c in raw["contours"]],
        Kind.CONTOURS: [c["id"] for c in raw["contours"]],
        Kind.STEPS: [s["id"] for one in raw["setups"] for s in one["steps"]],
    }.get(field.kind, list(NUMBERS))
    return str(dice.choice(dice.choice((known, known, known, NONSENSE)) or NONSENSE))


def _fact(raw: dict[str, Any], dice: random.Random) -> None:
    """A fact of a contour's element."""
    elements = [e for c in raw["contours"] for e in c["elements"]]
    if elements:
        facts = dice.choice(elements)["facts"]
        key = dice.choice(
            [*facts, "x", "y", "z", "dx", "dy", "dz", "radius", "length", "angle", "sweep", "cx", "corner"]
        )
        facts[key] = dice.choice(dice.choice((NUMBERS, NONSENSE)))


def drawn(planned: Plan) -> None:
    """All that the window asks of a plan: titles, dimensions, power, sentences, the tools that each field offers."""
    magazine(planned)
    planned.first_obstacle()
    for s in planned.steps:
        assert s.title is not None
        s.marks()
        s.cycle.power_share(s.answers.values, s.work)
        for field in s.cycle.fields:
            if field.kind is Kind.TOOL:
                tool_choices(s, field, planned.tools.values())
        for p in s.answers.problems:
            assert p.text.rstrip()[-1] in ".)?!", p


def damaged_text(data: bytes, seed: int) -> bytes:
    """A program with one to five damages."""
    dice = random.Random(seed)
    for _ in range(dice.randint(1, 5)):
        at = dice.randrange(len(data))
        what = dice.random()
        if what < 0.4:
            data = data[:at] + dice.choice(BYTES) + data[at + dice.randint(0, 2) :]
        elif what < 0.6:
            lines = data.split(b"\n")
            i, j = dice.randrange(len(lines)), dice.randrange(len(lines))
            lines[i], lines[j] = lines[j], lines[i]
            data = b"\n".join(lines)
        elif what < 0.8:
            lines = data.split(b"\n")
            lines.insert(dice.randrange(len(lines)), dice.choice(HOSTILE))
            data = b"\n".join(lines)
        else:
            data = data[:at] + data[at + dice.randint(1, 12) :]
    return data or b" "


HOSTILE = (
    b"M98 P1 L999999", b"G83 X0. Y0. Z-20. R2. Q0.00001 F100.", b"G74 R0.5", b"G74 X10. Z-20. P1 Q8 F0.1", b"N9 GOTO 9", b"WHILE [1 EQ 1] DO1", b"END1",
    b"#1=" + b"[" * 400 + b"1" + b"]" * 400, b"X" + b"9" * 5000, b"N" + b"9" * 5000, b"O" + b"1" * 5000, b"S-1", b"G96 S-1", b"G96 S-200 M3", b"G92 S-5", b"G50 S0", b"#[#1]=1/0",
    b"G76 P010060 Q1 R0.00001", b"G76 X20. Z-30. P1000 Q1 F1.5", b"G71 U0.00001 R0.5", b"G71 P10 Q20 U0.4 W0.1 F0.3", b"G73 U5. R999999", b"G2 X1. Y1. R0.", b"G3 X0 Y0 I0 J0",
    b"G1 X1e9", b"G1 X99999999. F0.0001", b"G91", b"G20", b"G68 R99999.", b"G51.1 X0", b"G41 D99", b"T9999 M6", b"T", b"/G0 X0 Z0", b"G4 P999999999", b"G95 F0.0000001", b"G93 F1",
    b"%", b"M99", b"M99 P9", b"G65 P1 A1 B2", b"(open", b";", b"G10 L2 P1 X1 Y1 Z1", b"G52 X1e5", b"G28", b"G53 X0 Z0",
)  # fmt: skip


@cache
def posted_demos() -> dict[str, tuple[Job, bytes]]:
    """A demo job of each machine with its posted text."""
    found = {}
    for job in demo_jobs():
        planned = plan(job)
        kind = planned.frame.machine.kind
        if kind not in found and planned.first_obstacle() is None:
            found[kind] = (job, post(planned, dialects()[planned.frame.machine.dialect]).text.encode())
    return found
