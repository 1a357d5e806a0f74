"""What hangs together too tightly for a closed form: all answers of a small group of elements.

Once the directions are known, everything else about a contour is linear: coordinates, lengths, radii, centres. So a
group is searched over its unknown directions only (a grid fine enough for one, two or three, a spread sample beyond),
the rest follows by least squares, and each such start is driven home by Newton's method in all unknowns at once. All
starts run together as arrays.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from bastler.core.geometry.contour.chain import Chain, Direction
from bastler.core.geometry.contour.known import Known, Setting, left_of

Floats = NDArray[np.float64]
Unknown = tuple[str, int]
GRID = {1: 64, 2: 26, 3: 10}
"""Directions tried along each axis, by how many are unknown."""
MORE = 1500
"""Starts beyond three."""
MOST_ANSWERS = 100
"""More are no single answers any more but places along a freedom that the rank did not show."""
STEPS = 40
RANK = 1e-9
SEED = 20


T = TypeVar("T")


@dataclass(frozen=True)
class Term:
    """``factor`` · unknown (or 1) · cos or sin of a direction (or 1).

    ``trig``: 0 for 1, 1 for cos, 2 for sin; ``turn``: the direction's angle, beyond its class if that is unknown.
    """

    factor: float
    unknown: int = -1
    trig: int = 0
    turn: float = 0.0
    angle: int = -1


@dataclass
class Group:
    """Equations of a few elements in their unknowns; the directions come last."""

    known: Known
    unknowns: list[Unknown] = field(default_factory=list)
    angles: list[int] = field(default_factory=list)
    equations: list[list[Term]] = field(default_factory=list)

    @property
    def size(self) -> int:
        """How many unknowns."""
        return len(self.unknowns) + len(self.angles)

    def term(
        self, factor: float, name: str, index: int, direction: Direction | None = None, sine: bool = False
    ) -> Term:
        """A term; a known value goes into its factor."""
        values = getattr(self.known, name)
        unknown = -1
        if values[index] is not None:
            factor *= values[index]
        else:
            unknown = self._number(self.unknowns, (name, index))
        if direction is None:
            return Term(factor, unknown)
        angle = self.known.direction(direction)
        if angle is not None:
            return Term(factor * (math.sin(angle) if sine else math.cos(angle)), unknown)
        return Term(factor, unknown, 2 if sine else 1, direction[1], self._number(self.angles, direction[0]))

    @staticmethod
    def _number(items: list[T], item: T) -> int:
        if item not in items:
            items.append(item)
        return items.index(item)

    def add(self, *terms: Term) -> None:
        """An equation, unless everything in it is known."""
        kept = [t for t in terms if t.factor and not (abs(t.factor) < 1e-12 and t.unknown >= 0)]
        if any(t.unknown >= 0 or t.angle >= 0 for t in kept):
            self.equations.append(kept)

    def evaluate(self, v: Floats) -> tuple[Floats, Floats]:
        """Residuals ``(n, equations)`` and their derivatives ``(n, equations, unknowns)`` at ``(n, unknowns)``."""
        linear = len(self.unknowns)
        value = np.zeros((len(v), len(self.equations)))
        slope = np.zeros((len(v), len(self.equations), self.size))
        for e, terms in enumerate(self.equations):
            for t in terms:
                u: Floats | float = v[:, t.unknown] if t.unknown >= 0 else 1.0
                f: Floats | float = 1.0
                if t.angle >= 0:
                    a = v[:, linear + t.angle] + t.turn
                    c, s = np.cos(a), np.sin(a)
                    f, df = (s, c) if t.trig == 2 else (c, -s)
                    slope[:, e, linear + t.angle] += t.factor * u * df
                value[:, e] += t.factor * u * f
                if t.unknown >= 0:
                    slope[:, e, t.unknown] += t.factor * f
        return value, slope

    def narrowed(self) -> Group | None:
        """The unknowns that these equations settle, with the equations in only those; ``None`` if there are none."""
        settled = self.settled()
        if not settled.any():
            return None
        keep = [e for e in self.equations if all(self._in(t, settled) for t in e)]
        linear = len(self.unknowns)
        wanted = [u for u, yes in zip(self.unknowns, settled[:linear], strict=True) if yes]
        angles = [a for a, yes in zip(self.angles, settled[linear:], strict=True) if yes]
        if len(keep) < len(wanted) + len(angles):
            return None
        again = {i: n for n, i in enumerate(i for i in range(linear) if settled[i])}
        turned = {i: n for n, i in enumerate(i for i in range(len(self.angles)) if settled[linear + i])}
        rows = [
            [Term(t.factor, again.get(t.unknown, -1), t.trig, t.turn, turned.get(t.angle, -1)) for t in e] for e in keep
        ]
        own = Group(self.known, wanted, angles, rows)
        # Equations that say the same twice settle nothing: what the others add may run through unknowns left out here.
        return None if len(own.freedom()) else own

    def _in(self, t: Term, settled: NDArray[np.bool_]) -> bool:
        return (t.unknown < 0 or bool(settled[t.unknown])) and (
            t.angle < 0 or bool(settled[len(self.unknowns) + t.angle])
        )

    def _anywhere(self, scale: float) -> Floats:
        rng = np.random.default_rng(SEED)
        linear = len(self.unknowns)
        v = rng.uniform(0.5, 1.5, (1, self.size)) * scale
        v[:, linear:] = rng.uniform(-math.pi, math.pi, (1, len(self.angles)))
        return v

    def freedom(self) -> Floats:
        """Ways ``(k, unknowns)`` in which the group could still move, at a general place."""
        if not self.equations:
            return np.eye(self.size)
        _, slope = self.evaluate(self._anywhere(1.0))
        _, sizes, ways = np.linalg.svd(slope[0])
        rank = int((sizes > RANK * max(sizes[0], 1.0)).sum())
        return ways[rank:]

    def settled(self) -> NDArray[np.bool_]:
        """Which unknowns no freedom moves."""
        ways = self.freedom()
        if not len(ways):
            return np.ones(self.size, dtype=bool)
        return np.asarray(np.abs(ways).max(axis=0) < 1e-7)

    def answers(self, scale: float, tolerance: float) -> list[list[Setting]]:
        """All answers, each as what to set. ``scale``: about the size of the contour."""
        v = self._solved(self._starts(scale), scale, tolerance)
        found = np.empty((0, self.size))
        for one in v:
            if self._right(one) and not self._same(one, found, scale).any():
                found = np.concatenate([found, one[None]])
                if len(found) == MOST_ANSWERS:
                    break
        return [self._settings(one) for one in found]

    def examples(self, scale: float, tolerance: float, count: int = 80) -> list[list[Setting]]:
        """Some of the answers of a group that leaves a freedom, each as what to set."""
        rng, linear = np.random.default_rng(SEED), len(self.unknowns)
        starts = rng.uniform(-1.0, 1.0, (count, self.size)) * scale
        starts[:, linear:] = rng.uniform(0, math.tau, (count, len(self.angles)))
        sign = self.known.chain.sign
        for n, (name, i) in enumerate(self.unknowns):
            if name in ("length", "r"):
                starts[:, n] = np.abs(starts[:, n]) * (sign[i] if name == "r" else 1)
        return [self._settings(one) for one in self._solved(starts, scale, tolerance) if self._right(one)]

    def _solved(self, starts: Floats, scale: float, tolerance: float) -> Floats:
        """Where starts lead to, the most exact first; those that lead nowhere are left out."""
        v = self._home(starts, scale)
        value, _ = self.evaluate(v)
        worst = np.abs(value).max(axis=1)
        good = np.isfinite(worst) & (worst < tolerance)
        v = v[good][np.argsort(worst[good])]
        linear = len(self.unknowns)
        v[:, linear:] = (v[:, linear:] + math.pi) % math.tau - math.pi
        return np.asarray(v)

    def _settings(self, v: Floats) -> list[Setting]:
        linear = len(self.unknowns)
        return [(name, i, float(a)) for (name, i), a in zip(self.unknowns, v, strict=False)] + [
            ("angle", c, float(a)) for c, a in zip(self.angles, v[linear:], strict=True)
        ]

    def _right(self, v: Floats) -> bool:
        """Whether lengths and radii have their sign."""
        sign = self.known.chain.sign
        for (name, i), a in zip(self.unknowns, v, strict=False):
            if name == "length" and a <= 1e-6:
                return False
            if name == "r" and a * sign[i] <= 1e-6:
                return False
        return True

    def _same(self, a: Floats, others: Floats, scale: float) -> NDArray[np.bool_]:
        """Which rows of ``others`` (k, size) are the same answer."""
        linear = len(self.unknowns)
        turned = np.abs((a[linear:] - others[:, linear:] + math.pi) % math.tau - math.pi)
        near = np.abs(a[:linear] - others[:, :linear]) < 1e-6 * scale
        return np.asarray(near.all(axis=1) & (turned < 1e-6).all(axis=1))

    def _starts(self, scale: float) -> Floats:
        rng = np.random.default_rng(SEED)
        q, linear = len(self.angles), len(self.unknowns)
        if q in GRID:
            axis = (np.arange(GRID[q]) + 0.37) / GRID[q] * math.tau
            theta = np.stack([g.ravel() for g in np.meshgrid(*[axis] * q, indexing="ij")], axis=1)
        else:
            theta = rng.uniform(0, math.tau, (MORE if q else 1, q))
        v = np.zeros((len(theta), self.size))
        v[:, linear:] = theta
        if linear:
            value, slope = self.evaluate(v)
            a = slope[:, :, :linear]
            at = np.swapaxes(a, 1, 2)
            normal = at @ a + 1e-9 * np.eye(linear)
            v[:, :linear] = -np.linalg.solve(normal, at @ value[:, :, None])[:, :, 0]
            sign = self.known.chain.sign
            for n, (name, i) in enumerate(self.unknowns):
                if name == "length":
                    v[:, n] = np.abs(v[:, n]) + 1e-3 * scale
                elif name == "r":
                    v[:, n] = sign[i] * (np.abs(v[:, n]) + 1e-3 * scale)
        return v

    def _home(self, v: Floats, scale: float) -> Floats:
        """Newton's method with a fading damping, lengths measured in ``scale``."""
        unit = np.ones(self.size)
        unit[: len(self.unknowns)] = scale
        eye = np.eye(self.size)
        for step in range(STEPS):
            value, slope = self.evaluate(v)
            slope, value = slope * unit / scale, value / scale
            back = np.swapaxes(slope, 1, 2)
            size = np.abs(value).max(axis=1)
            damping = np.minimum(1e-2 * size, 1e-2)[:, None, None] if step < STEPS - 3 else 1e-15
            try:
                move = np.linalg.solve(back @ slope + (damping + 1e-15) * eye, back @ value[:, :, None])[:, :, 0]
            except np.linalg.LinAlgError:
                return v
            long = np.abs(move).max(axis=1, keepdims=True)
            v = v - unit * move * np.minimum(1.0, 0.7 / np.maximum(long, 1e-12))
            if step in (12, 22):
                value, _ = self.evaluate(v)
                worst = np.nan_to_num(np.abs(value).max(axis=1), nan=np.inf) / scale
                keep = worst <= max(np.quantile(worst, 0.5), 1e-6)
                v = _different(v[keep])
            if step > 4 and size.max() < 1e-14:
                break
        return v


def _different(v: Floats) -> Floats:
    """Starts that have run to the same place are followed once."""
    _, first = np.unique(np.round(v, 7), axis=0, return_index=True)
    return v[np.sort(first)]


def group_of(known: Known, elements: list[int]) -> Group:
    """The equations of consecutive elements, and of what is known about their neighbours at the joints between."""
    chain, group = known.chain, Group(known)
    inside = set(elements)
    for i in elements:
        if known.done[i]:
            continue
        (_arc if chain.sign[i] else _line)(group, chain, i)
        for name, way in (("x", "wx"), ("y", "wy")):
            by = getattr(known, way)[i]
            if by is not None and chain.end(i) != i:
                group.add(group.term(1.0, name, chain.end(i)), group.term(-1.0, name, i), Term(-by))
        for j, other in ((i, chain.before(i)), (chain.end(i), chain.after(i))):
            if other >= 0 and other not in inside and known.joint(j) is None:
                _neighbour(group, chain, other, j)
    mirror = chain.contour.mirror
    if mirror is not None and chain.count - 1 in inside:
        nx, ny = left_of(math.radians(mirror.angle))
        last = chain.joints - 1
        group.add(group.term(nx, "x", last), group.term(ny, "y", last), Term(-nx * mirror.x - ny * mirror.y))
    return group


def _line(group: Group, chain: Chain, i: int) -> None:
    a, b, d, known = i, chain.end(i), chain.begin[i], group.known
    group.add(group.term(1.0, "x", b), group.term(-1.0, "x", a), group.term(-1.0, "length", i, d))
    group.add(group.term(1.0, "y", b), group.term(-1.0, "y", a), group.term(-1.0, "length", i, d, True))
    if known.p[i] is not None and known.joint(a) is None and known.joint(b) is None:
        _on_line(group, chain, i, a)


def _on_line(group: Group, chain: Chain, i: int, j: int) -> None:
    line = group.known.line(i)
    if line is not None:
        group.add(group.term(line[0], "x", j), group.term(line[1], "y", j), Term(-line[2]))


def _arc(group: Group, chain: Chain, i: int) -> None:
    for j, d in ((i, chain.begin[i]), (chain.end(i), chain.finish[i])):
        _end_of_arc(group, i, j, d)


def _end_of_arc(group: Group, i: int, j: int, d: Direction) -> None:
    """centre = joint + r · left normal."""
    group.add(group.term(1.0, "cx", i), group.term(-1.0, "x", j), group.term(1.0, "r", i, d, True))
    group.add(group.term(1.0, "cy", i), group.term(-1.0, "y", j), group.term(-1.0, "r", i, d))


def _neighbour(group: Group, chain: Chain, i: int, j: int) -> None:
    """What is known about an element outside the group that ends or starts at a joint of it."""
    known = group.known
    if not chain.sign[i]:
        _on_line(group, chain, i, j)
    elif known.circle(i) is not None:
        _end_of_arc(group, i, j, chain.begin[i] if i == j else chain.finish[i])
