"""From facts to answers: spread what is known, try both sides of every fork, solve what hangs together."""

from __future__ import annotations

import contextlib
import math
import time
from heapq import nsmallest
from operator import itemgetter
from typing import Literal, NamedTuple

from msgspec import Struct

from bastler.core.geometry.contour.answers import Answer, Member, Part, certain_of, mirrored, part_of
from bastler.core.geometry.contour.chain import Chain
from bastler.core.geometry.contour.facts import Contour, Element, named, out_of_range
from bastler.core.geometry.contour.known import NAMES, Fork, Setting
from bastler.core.geometry.contour.spread import Dead, Spread

TOLERANCE_MM = 0.001
EXACT_MM = 1e-6
MOST_ANSWERS = 256
MOST_FORKS = 600
LONGEST_S = 1.2
GROUP = 4
"""Elements that are solved together at most, before the whole piece is tried."""
WHOLE = 12
MOST_TRIED = 12
"""Open branches that are tried before their facts are called contradictory."""


class Trouble(Struct, frozen=True):
    """What is wrong or missing at one element, counted from 0; ``key`` the fact, if it is one."""

    element: int
    text: str
    key: str = ""


class Result(Struct, frozen=True):
    """What can be said about a contour.

    ``answers``: shortest first, without corners put in. ``missing``: independent facts that lack. ``certain``: the elements that all
    answers share. ``loose``: elements that the missing facts concern.
    """

    status: Literal["solved", "open", "conflict"]
    missing: int = 0
    answers: tuple[Answer, ...] = ()
    troubles: tuple[Trouble, ...] = ()
    certain: tuple[Member, ...] = ()
    loose: tuple[int, ...] = ()
    more: bool = False


class OpenRun(Struct, frozen=True):
    """Unknown elements that touch each other: first, and how many. Joints between pieces are known."""

    elements: tuple[int, ...]


class Found(Struct, frozen=True):
    """What a piece comes to: assignments, each as settings; or what lacks; or where it fails."""

    options: tuple[tuple[Setting, ...], ...] = ()
    stuck: bool = False
    missing: int = 0
    loose: tuple[int, ...] = ()
    dead: tuple[int, str, float] | None = None
    more: bool = False


class Memory:
    """Answers of pieces by all that they depend on, so that an edit solves again only what it touches."""

    def __init__(self) -> None:
        self.found: dict[object, Found] = {}

    def get(self, key: object) -> Found | None:
        """What is remembered."""
        return self.found.get(key)

    def put(self, key: object, found: Found) -> None:
        """Remember; the oldest go first."""
        while len(self.found) > 2000:
            self.found.pop(next(iter(self.found)))
        self.found[key] = found


class Search:
    """One solving of one contour."""

    def __init__(
        self, contour: Contour, tolerance: float, memory: Memory | None, until: float, arrives: float | None = None
    ) -> None:
        self.chain = Chain(contour, tolerance, arrives)
        self.memory, self.until = memory, until
        self.tolerance = tolerance
        self.forks = 0

    def base(self) -> Spread:
        """All that follows without a choice; raises :class:`Dead`."""
        known = Spread(self.chain)
        known.begin_facts()
        known.spread()
        return known

    def pieces(self, known: Spread) -> list[OpenRun]:
        """Runs of unknown elements between joints where nothing unknown is handed on."""
        chain, runs, run = self.chain, [], list[int]()
        for i in range(chain.count):
            if known.done[i]:
                if run:
                    runs.append(run)
                run = []
                continue
            if run and self._sealed(known, i):
                runs.append(run)
                run = []
            run.append(i)
        if run:
            runs.append(run)
        around = len(runs) > 1 and chain.contour.closed and not known.done[0] and not known.done[-1]
        if around and not self._sealed(known, 0):
            runs[0] = runs.pop() + runs[0]
        return [OpenRun(tuple(r)) for r in runs]

    def _sealed(self, known: Spread, j: int) -> bool:
        chain = self.chain
        if known.joint(j) is None:
            return False
        return not chain.elements[j].smooth or known.direction(chain.begin[j]) is not None

    def shared_out(self, known: Spread, pieces: list[OpenRun]) -> list[dict[tuple[str, int], Fork]]:
        """The forks of each piece."""
        chain = self.chain
        place = {i: n for n, p in enumerate(pieces) for i in p.elements}
        shares: list[dict[tuple[str, int], Fork]] = [{} for _ in pieces]
        for (kind, index), options in known.forks.items():
            if kind == "angle":
                near = chain.members[index]
            elif kind == "joint":
                near = (
                    [i for i in (index, chain.before(index)) if 0 <= i < chain.count]
                    if index < chain.count
                    else [index - 1]
                )
            else:
                near = [index]
            n = next((place[i] for i in near if i in place), None)
            if n is not None:
                shares[n][(kind, index)] = options
        return shares

    def solve_piece(self, known: Spread, piece: OpenRun) -> Found:
        """All ways to complete a piece; ``known`` has just its forks."""
        key = self._key(known, piece)
        if self.memory is not None:
            before = self.memory.get(key)
            if before is not None:
                return before
        found = self._explore(known, piece)
        if self.memory is not None and time.monotonic() < self.until:
            self.memory.put(key, found)
        return found

    def _key(self, known: Spread, piece: OpenRun) -> object:
        """Everything that a piece depends on; elements are counted from its first."""
        chain = self.chain
        ids = list(piece.elements)
        around = [chain.before(ids[0]), *ids, chain.after(ids[-1])]
        joints = sorted({j for i in ids for j in (i, chain.end(i))})
        return (
            chain.contour.closed, chain.contour.mirror, chain.count, tuple(ids),
            tuple(chain.elements[i] if i >= 0 else None for i in around),
            tuple((known.x[j], known.y[j]) for j in joints),
            tuple((known.cx[i], known.cy[i], known.r[i], known.p[i], known.length[i], known.wx[i], known.wy[i],
                   known.direction(chain.begin[i]), known.direction(chain.finish[i])) for i in around if i >= 0),
        )  # fmt: skip

    def _explore(self, known: Spread, piece: OpenRun) -> Found:
        options: list[tuple[Setting, ...]] = []
        stuck: list[Spread] = []
        dead: tuple[int, str, float] | None = None
        more = False
        self.forks = 0
        stack = [known.copy()]
        while stack:
            here = stack.pop()
            try:
                here.spread()
            except Dead as end:
                dead = dead or (end.element, end.key, end.by)
                continue
            if all(here.done[i] for i in piece.elements):
                setting = self._settings(known, here, piece)
                options.append(setting)
                if len(options) >= MOST_ANSWERS or time.monotonic() > self.until:
                    more = bool(stack)
                    break
                continue
            self.forks += 1
            hurried = self.forks >= MOST_FORKS or time.monotonic() > self.until
            fork = None if hurried else self._fork(here, piece)
            more = more or hurried
            if fork is None:
                stuck.append(here)
                continue
            for settings in reversed(fork):
                branch = here.copy()
                for one in settings:
                    branch.put(*one)
                stack.append(branch)
        if options:
            return Found(tuple(options), more=more)
        if stuck:
            return self._open(known, stuck, piece, dead)
        return Found(dead=dead or (piece.elements[0], "x", 0.0))

    def _open(self, known: Spread, stuck: list[Spread], piece: OpenRun, dead: tuple[int, str, float] | None) -> Found:
        """Count what lacks; facts that can't hold together whatever else is given are no opening."""
        from bastler.core.geometry.contour.count import missing_in, possible

        missing, loose = missing_in(known, list(piece.elements))
        scale = self._scale(known)
        if not missing or not any(
            possible(s, [i for i in piece.elements if not s.done[i]], scale, self.until) for s in stuck[:MOST_TRIED]
        ):
            return Found(dead=dead or (piece.elements[0], "x", 0.0))
        return Found(stuck=True, missing=missing, loose=tuple(loose))

    def _settings(self, known: Spread, here: Spread, piece: OpenRun) -> tuple[Setting, ...]:
        chain = self.chain
        found: list[Setting] = []
        for name in NAMES:
            before, after = getattr(known, name), getattr(here, name)
            if name in ("x", "y"):
                places = {j for i in piece.elements for j in (i, chain.end(i))}
            elif name == "angle":
                places = {d[0] for i in piece.elements for d in (chain.begin[i], chain.finish[i])}
            else:
                places = set(piece.elements)
            found += [(name, i, after[i]) for i in sorted(places) if before[i] is None and after[i] is not None]
        return tuple(found)

    def _fork(self, here: Spread, piece: OpenRun) -> Fork | None:
        """The choices at the first place where there are several."""
        for what in list(here.forks):
            options = here.forks.pop(what)
            if any(getattr(here, n)[i] is None for n, i, _ in options[0]):
                return options
        return self._together(here, piece)

    def _together(self, here: Spread, piece: OpenRun) -> Fork | None:
        """The answers of the smallest group of neighbours that settles something."""
        from bastler.core.geometry.contour.groups import group_of

        left = [i for i in piece.elements if not here.done[i]]
        scale = self._scale(here)
        sizes = [s for s in range(1, GROUP + 1) if s < len(left)]
        if len(left) <= WHOLE:
            sizes.append(len(left))
        for size in sizes:
            for at in range(len(left) - size + 1):
                window = left[at : at + size]
                if window != left and any(self.chain.after(a) != b for a, b in zip(window, window[1:], strict=False)):
                    continue
                group = group_of(here, window).narrowed()
                if group is not None:
                    return group.answers(scale, self.tolerance)
        return None

    def _scale(self, known: Spread) -> float:
        sizes = [
            abs(v) for name in ("x", "y", "cx", "cy", "r", "length") for v in getattr(known, name) if v is not None
        ]
        return float(max([*sizes, 1.0]))


def searched(
    contour: Contour, tolerance: float = TOLERANCE_MM, memory: Memory | None = None, longest_s: float = LONGEST_S
) -> Result:
    """All answers of a contour; of a contradiction only the place where the search ended, without words.

    Lengths and ``tolerance`` in one unit: facts that say the same twice agree within it. ``memory`` keeps answers of
    parts between calls.
    """
    for i, e in enumerate(contour.elements):
        wrong = out_of_range(e)
        if wrong:
            return Result("conflict", troubles=(Trouble(i, wrong[1], wrong[0]),))
    until = time.monotonic() + longest_s
    mirror = contour.mirror
    if mirror is None or not mirror.smooth:
        return _solve(contour, Search(contour, tolerance, memory, until))
    across = [math.radians(mirror.angle) + turn for turn in (math.pi / 2, -math.pi / 2)]
    both = [_solve(contour, Search(contour, tolerance, memory, until, a)) for a in across]
    answers = sorted((a for r in both for a in r.answers), key=lambda a: a.length)
    if answers:
        certain = answers[0].members if len(answers) == 1 else _shared(tuple(answers))
        return Result("solved", answers=tuple(answers), certain=certain, more=any(r.more for r in both))
    return min(both, key=lambda r: r.status == "conflict")


def _solve(contour: Contour, search: Search) -> Result:
    """With one search: one way of crossing the mirror."""
    try:
        known = search.base()
    except Dead as dead:
        return _conflict((dead.element, dead.key, dead.by))
    pieces = search.pieces(known)
    found = []
    for piece, forks in zip(pieces, search.shared_out(known, pieces), strict=True):
        known.forks = forks
        found.append(search.solve_piece(known, piece))
    if time.monotonic() > search.until:
        place = next((p.elements[0] for p, f in zip(pieces, found, strict=True) if not f.options), None)
        if place is not None:
            text = f"From {named(contour.elements, place)} on too much is unknown to be solved in time. Give more facts there."
            return Result("open", 1, troubles=(Trouble(place, text),), certain=certain_of(known), loose=(place,))
    for f in found:
        if f.dead is not None:
            return _conflict(f.dead)
    if any(f.stuck for f in found):
        return _open(search, known, found)
    answers, more = _combined(search, known, pieces, found)
    if not answers:
        return _conflict((0, "x", 0.0))
    return Result(
        "solved", answers=answers, certain=answers[0].members if len(answers) == 1 else _shared(answers), more=more
    )


def _shared(answers: tuple[Answer, ...]) -> tuple[Member, ...]:
    return tuple(
        m for i, m in enumerate(answers[0].members) if all(a.members[i] is m or a.members[i].near(m) for a in answers[1:])
    )  # fmt: skip


class Chosen(NamedTuple):
    """One part for each piece so far; choices share what they have in common."""

    length: float
    part: Part
    before: Chosen | None

    def all(self) -> list[Part]:
        parts, at = list[Part](), self
        while True:
            parts.append(at.part)
            if at.before is None:
                return parts[::-1]
            at = at.before


def _combined(
    search: Search, known: Spread, pieces: list[OpenRun], found: list[Found]
) -> tuple[tuple[Answer, ...], bool]:
    """Answers of all pieces put together, the shortest first. Pieces don't touch each other, so each is judged alone."""
    more = any(f.more for f in found)
    own = part_of(known, [i for i in range(search.chain.count) if known.done[i]], known.chain.tolerance)
    if own is None:
        return (), False
    alone = known.copy()
    alone.forks = {}
    choices = [Chosen(own.length, own, None)]
    for piece, f in zip(pieces, found, strict=True):
        parts = _judged(alone, piece, f)
        sums = (Chosen(c.length + p.length, p, c) for c in choices for p in parts)
        more = more or len(choices) * len(parts) > MOST_ANSWERS
        choices = nsmallest(MOST_ANSWERS, sums, key=itemgetter(0))
    answers = tuple(_assembled(chosen.all(), search.chain.contour) for chosen in choices)
    return _picked(search.chain.elements, answers), more


def _judged(known: Spread, piece: OpenRun, found: Found) -> list[Part]:
    """The options of a piece that hold, each geometry once. Where some hold exactly, those that do so only within rounding go."""
    states: list[Spread] = []
    for option in found.options:
        state = known.copy()
        for setting in option:
            state.put(*setting)
        with contextlib.suppress(Dead):
            state.spread()
            states.append(state)
    for tolerance in (EXACT_MM, known.chain.tolerance):
        parts: list[Part] = []
        for state in states:
            part = part_of(state, piece.elements, tolerance)
            if part is not None and not any(_alike(part, other) for other in parts):
                parts.append(part)
        if parts:
            break
    return parts


def _assembled(parts: list[Part], contour: Contour) -> Answer:
    members = {m.source: m for part in parts for m in part.members}
    return Answer(
        mirrored(tuple(members[k] for k in range(len(contour.elements))), contour),
        tuple(o for p in parts for o in p.off),
    )


def _alike(a: Part, b: Part) -> bool:
    return all(m.near(n) for m, n in zip(a.members, b.members, strict=True))


def _picked(elements: tuple[Element, ...], answers: tuple[Answer, ...]) -> tuple[Answer, ...]:
    """Answers narrowed by the elements' choices: the n-th of the shapes that an element takes, in order of length."""
    left = answers
    for i, e in enumerate(elements):
        if e.pick and len(left) > 1:
            shapes: list[Member] = []
            for a in left:
                if not any(a.members[i].near(s) for s in shapes):
                    shapes.append(a.members[i])
            if e.pick <= len(shapes):
                left = tuple(a for a in left if a.members[i].near(shapes[e.pick - 1]))
    return left


def _open(search: Search, known: Spread, found: list[Found]) -> Result:
    for f in found:
        if len(f.options) == 1:
            for setting in f.options[0]:
                known.put(*setting)
    try:
        known.spread()
    except Dead as dead:
        return Result("conflict", troubles=(Trouble(dead.element, "The facts contradict each other here."),))
    from bastler.core.geometry.contour.count import asked_for

    loose = tuple(sorted({i for f in found for i in f.loose}))
    missing = sum(f.missing for f in found)
    troubles = tuple(Trouble(i, text) for i, text in asked_for(search.chain.contour, known, loose, missing))
    return Result("open", missing, (), troubles, certain_of(known), loose)


def _conflict(dead: tuple[int, str, float]) -> Result:
    return Result("conflict", troubles=(Trouble(dead[0], "", dead[1]),))
