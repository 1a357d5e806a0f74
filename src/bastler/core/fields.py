"""Declared fields: one declaration serves form, drawing, file and checks.

*Field*: one question with its unit, limits and default.
*Suggestion*: an answer Bastler proposes, with its reason; used until something is typed.
*Values*: the answers as numbers. Reading one that is missing raises :class:`Unanswered`,
so a suggestion or a drawing that depends on it simply waits.
*Answers*: everything known about one form: values, what is missing, what is wrong.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable, Mapping
from typing import Any, Literal, TypeAlias

from msgspec import Struct, field
from msgspec.structs import replace

from bastler.core.problems import Problem, Unfinished, Unusable
from bastler.core.quantities import (
    Kind,
    Limits,
    Units,
    evaluate,
    parse_cylinders,
    parse_numbers,
    parse_points,
    show,
    unit_word,
    whole_number,
)

Group = Literal["Place", "Size", "Cut", "Entry", "Parts", "Output"]


class Unanswered(Exception):
    """A value was read that nobody has given yet."""


class Suggestion(Struct, frozen=True):
    """A proposed answer as text in metric units, and why. It is shown converted to the job's."""

    text: str
    reason: str


Value: TypeAlias = Any
"""An answer, of what its field's kind says: a number, a text, a tool, a thread …"""
Known: TypeAlias = Any
"""What a form may look up: a setup's shop, a step's ``Work``; ``None`` for nothing."""


class Values:
    """Answers by field name, as attributes, in inner units."""

    def __init__(self, known: Mapping[str, Value], ahead: Callable[[str], Value] | None = None) -> None:
        self._known = dict(known)
        self._ahead = ahead

    def __eq__(self, other: object) -> bool:
        """The same answers: an edit plans again only what sees others."""
        return isinstance(other, Values) and self._known == other._known

    __hash__ = None  # type: ignore[assignment]

    def __getattr__(self, name: str) -> Value:
        if name.startswith("__"):
            raise AttributeError(name)
        value = self._known.get(name)
        if value is None:
            raise Unanswered(name)
        return value

    def get(self, name: str, otherwise: Value = None) -> Value:
        """The answer, or ``otherwise`` while it is missing."""
        value = self._known.get(name)
        return otherwise if value is None else value

    def ahead(self, name: str, otherwise: Value = None) -> Value:
        """The answer, or what is typed further down in the form that is just being read, or ``otherwise``."""
        value = self._known.get(name)
        if value is None and self._ahead is not None:
            value = self._ahead(name)
        return otherwise if value is None else value

    def settle(self) -> None:
        """The form is read: nothing lies ahead."""
        self._ahead = None

    def put(self, name: str, value: Value) -> None:
        """Add an answer; used only while a form is resolved."""
        self._known[name] = value


Shown = Callable[[Values], bool]
Suggest = Callable[[Values, Known], Suggestion | None]


class Field(Struct, frozen=True):
    """One question of a form.

    ``default`` is metric; ``None`` without ``suggest`` makes it essential: it is asked for.
    ``stand_in`` is the size the drawing uses while the answer is missing.
    ``shown`` hides a question that the other answers make pointless. ``tool_kinds`` narrows what a tool
    field offers, if not every kind that its cycle uses will do.
    """

    key: str
    label: str
    group: Group
    kind: Kind
    question: str
    default: str | None = None
    limits: Limits = Limits()
    choices: tuple[tuple[str, str], ...] = ()
    suggest: Suggest | None = None
    stand_in: Value = None
    shown: Callable[[Values], bool] = lambda _: True
    optional: bool = False
    tool_kinds: tuple[str, ...] = ()

    @property
    def drawn(self) -> Value:
        """What a drawing shows while the answer is missing or wrong: the stand-in, else the default."""
        if self.stand_in is not None or self.default is None:
            return self.stand_in
        try:
            return parse(self, self.default, None, "mm")
        except Unusable:
            return None

    @property
    def essential(self) -> bool:
        """Whether the person must answer because nothing sensible can be assumed."""
        return self.default is None and self.suggest is None and not self.optional


class Answers(Struct, frozen=True):
    """A form read against its fields. ``begun``: what is said at the missing ones of which something is typed."""

    values: Values
    missing: tuple[str, ...] = ()
    problems: tuple[Problem, ...] = ()
    suggestions: Mapping[str, Suggestion] = field(default_factory=dict)
    hidden: frozenset[str] = frozenset()
    begun: Mapping[str, str] = field(default_factory=dict)

    def with_problems(self, problems: Iterable[Problem]) -> Answers:
        """The same, judged: these are what is wrong."""
        return replace(self, problems=tuple(problems))

    @property
    def complete(self) -> bool:
        """Whether everything needed is there and right enough to plan."""
        return not self.missing and not any(p.blocks for p in self.problems)


def read(
    fields: tuple[Field, ...],
    typed: Mapping[str, str],
    work: Known,
    units: Units = "mm",
    tool_kinds: tuple[str, ...] = (),
) -> Answers:
    """Turn typed texts into values, in the order the fields are declared.

    ``tool_kinds``: what a tool field takes that names no kinds of its own. ``work`` is handed to the suggestions; a suggestion sees the answers before it, and what is
    typed further down as what lies ahead. A field whose suggestion waits for another answer is not asked for: that other one is.
    """
    values = Values({}, _typed_ahead(fields, typed, work, units))
    missing: list[str] = []
    problems: list[Problem] = []
    suggestions: dict[str, Suggestion] = {}
    hidden: set[str] = set()
    begun: dict[str, str] = {}
    for one in fields:
        try:
            visible = one.shown(values)
        except Unanswered:
            visible = False
        if not visible:
            hidden.add(one.key)
            continue
        text = typed.get(one.key, "").strip()
        waits = False
        if one.suggest is not None:
            try:
                proposal = one.suggest(values, work)
            except Unanswered:
                proposal, waits = None, True
            if proposal is not None:
                suggestions[one.key] = proposal
        own = bool(text)
        if not text:
            text = suggestions[one.key].text if one.key in suggestions else (one.default or "")
        if not text:
            if not one.optional and not waits:
                missing.append(one.key)
            continue
        try:
            value = parse(one, text, work, units if own else "mm")
            if one.kind is Kind.TOOL:
                _ask_for_kind(value, one.tool_kinds or tool_kinds)
            values.put(one.key, value)
        except Unfinished as error:
            missing.append(one.key)
            begun[one.key] = str(error)
        except Unusable as error:
            problems.append(Problem(one.key, str(error), label=one.label))
    values.settle()
    return Answers(values, tuple(missing), tuple(problems), suggestions, frozenset(hidden), begun)


def _typed_ahead(
    fields: tuple[Field, ...], typed: Mapping[str, str], work: Known, units: Units
) -> Callable[[str], Value]:
    """What is typed at a field, as a value; nothing if it can't be read."""

    def ahead(key: str) -> Value:
        one, text = next((f for f in fields if f.key == key), None), typed.get(key, "").strip()
        with contextlib.suppress(Unusable):
            return parse(one, text, work, units) if one is not None and text else None
        return None

    return ahead


def drawable(fields: tuple[Field, ...], values: Values) -> Values:
    """Values with a stand-in for every one that is missing or wrong, so that geometry never waits."""
    return Values({f.key: values.get(f.key, f.drawn) for f in fields})


def judged(checks: Iterable[Callable[[], Problem | None]]) -> list[Problem]:
    """What is wrong; a check that needs an answer nobody has given yet waits for it."""
    found = []
    for check in checks:
        with contextlib.suppress(Unanswered):
            problem = check()
            if problem is not None:
                found.append(problem)
    return found


def parse(one: Field, text: str, work: Known, units: Units) -> Value:
    """The value of one typed text; raises :class:`Unusable` with field, limit and value."""
    match one.kind:
        case Kind.FLAG:
            if text not in ("yes", "no"):
                raise Unusable(f"{one.label} is yes or no, not “{text}”.")
            return text == "yes"
        case Kind.CHOICE:
            if text not in [key for key, _ in one.choices]:
                *most, last = (word for _, word in one.choices)
                words = " or ".join((", ".join(most), last)) if most else last
                raise Unusable(f"{one.label} is {words}. Choose one.")
            return text
        case Kind.TEXT | Kind.LINES:
            return text
        case Kind.POINTS:
            return parse_points(text, units)
        case Kind.NUMBERS:
            return parse_numbers(text)
        case Kind.CYLINDERS:
            return parse_cylinders(text, units)
        case Kind.TOOL:
            return _find_tool(text, work)
        case Kind.THREAD:
            from bastler.core.threads.threadnames import find_thread

            return find_thread(text)
        case Kind.PATTERN:
            return _find_pattern(one, text, work)
        case Kind.CONTOUR:
            return _find_contours(one, text, work, units)[0]
        case Kind.CONTOURS:
            return _find_contours(one, text, work, units)
        case Kind.STEPS:
            return _find_steps(text, work)
        case _:
            value = evaluate(text, one.kind, units)
    if one.kind is Kind.COUNT:
        if value != int(value):
            raise Unusable(f"{one.label} is counted: {show(value)} is not a whole number.")
        value = int(value)
    low, high = one.limits.low, one.limits.high
    word = f" {unit_word(one.kind, units)}".rstrip()
    if low is not None and (value <= low if one.limits.low_open else value < low):
        bound = "above" if one.limits.low_open else "at least"
        raise Unusable(
            f"{one.label} must be {bound} {show(low, one.kind, units)}{word}; it is {show(value, one.kind, units)}."
        )
    if high is not None and value > high:
        raise Unusable(
            f"{one.label} must be at most {show(high, one.kind, units)}{word}; it is {show(value, one.kind, units)}."
        )
    return value


def typed_text(one: Field, value: Value, units: Units) -> str:
    """A value as a person would type it into a job of these units; read back, it is the same value."""

    def number(v: float) -> str:
        text = f"{v:.6f}".rstrip("0").rstrip(".")
        return text if units == "mm" or one.kind not in (Kind.LENGTH, Kind.POINTS) else f"({text})mm"

    match one.kind:
        case Kind.FLAG:
            return "yes" if value else "no"
        case Kind.POINTS:
            return "; ".join(f"{number(x)}, {number(y)}" for x, y in value)
        case Kind.NUMBERS:
            return ", ".join(str(n) for n in value)
        case Kind.TOOL:
            return str(value.number)
        case Kind.THREAD:
            return str(value.name)
        case Kind.PATTERN if not isinstance(value, str):
            return str(value.id)
        case Kind.CONTOUR:
            return str(value.id)
        case Kind.STEPS | Kind.CONTOURS:
            return ", ".join(str(s.id) for s in value)
        case _:
            return value if isinstance(value, str) else number(float(value))


def _find_pattern(one: Field, text: str, work: Known) -> Value:
    """A kind of pattern that the step answers itself, or a named one of the job."""
    if text in [key for key, _ in one.choices]:
        return text
    named = work.patterns.get(text) if work is not None else None
    if named is None:
        raise Unusable("The pattern that these holes lay on is gone. Choose another.")
    if named.lacks:
        raise (Unusable if named.wrong else Unfinished)(f"Pattern “{named.name}”: {named.lacks}")
    return named


def _find_contours(one: Field, text: str, work: Known, units: Units) -> tuple[Value, ...]:
    """Contours of the job by their ids; one that isn't finished says what it lacks, one that crosses itself where."""
    from bastler.core.geometry.crossing import crossing

    found = []
    for key in (i.strip() for i in text.split(",") if i.strip()):
        contour = work.contours.get(key) if work is not None else None
        if contour is None:
            raise Unusable(f"{one.label}: a contour is gone. Choose another.")
        if contour.path is None:
            fault = Unusable if contour.wrong else Unfinished
            raise fault(f"Contour “{contour.name}”: {contour.lacks}")
        if contour.closed and (at := crossing(contour.path)) is not None:
            place = ", ".join(show(n, units=units) for n in at)
            raise Unusable(f"Contour “{contour.name}” crosses itself at {place}. Correct its elements.")
        found.append(contour)
    if not found:
        raise Unusable(f"{one.label} is not chosen.")
    return tuple(found)


def _find_steps(text: str, work: Known) -> tuple[Value, ...]:
    """Steps before this one, by their ids."""
    known = {s.id: s for s in work.earlier} if work is not None else {}
    wanted = [i.strip() for i in text.split(",") if i.strip()]
    if any(i not in known for i in wanted):
        raise Unusable("A step that this one repeats is gone, or comes after it. Choose again.")
    return tuple(s for s in known.values() if s.id in wanted)


def _ask_for_kind(tool: Value, kinds: tuple[str, ...]) -> None:
    """A tool's number may have become that of a tool of another kind."""
    if kinds and tool.kind not in kinds:
        *most, last = (kind.replace("-", " ") for kind in kinds)
        wanted = f"{', '.join(most)} or {last}" if most else last
        raise Unusable(f"Tool {tool.number} ({tool.name}) can't be used here. Choose one of another kind: {wanted}.")


def _find_tool(text: str, work: Known) -> Value:
    number = whole_number(text.strip().lstrip("Tt"))
    if number is None:
        raise Unusable(f"“{text}” is not a tool number. Type the number from the tool table.")
    tool = work.tools.get(number) if work is not None else None
    if tool is None:
        have = ", ".join(str(n) for n in sorted(work.tools)) if work is not None and work.tools else "none"
        raise Unusable(f"Tool {number} is not usable from the tool table (it has {have}). Add it or choose another.")
    return tool
