"""Random valid contours, all facts about them, and how many of those are independent: the oracle of the solver's tests.

The oracle knows nothing of the solver: it counts the rank of the facts' gradients (by differences) at the true points.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

import numpy as np

from bastler.core.geometry.contour.answers import Member
from bastler.core.geometry.contour.facts import KEYS, Contour, Element, Fact
from bastler.core.geometry.contour.search import Search

SMOOTH_SHARE = 0.5
CLEAR = 1e-3
"""A chain is clear if no singular value lies between none and this share of the largest."""
LONGEST_RUN = 3
"""The calculator promises to solve so many unknown elements in a row."""
LINE_KEYS = ("x", "y", "dx", "dy", "length", "angle")
ARC_KEYS = ("x", "y", "dx", "dy", "radius", "cx", "cy", "sweep")


@dataclass
class Chain:
    """Points of joints, centre and sweep of arcs (``None`` for lines), whether each element runs on smoothly."""

    joints: list[tuple[float, float]]
    centres: list[tuple[float, float] | None]
    sweeps: list[float]
    smooth: list[bool]
    closed: bool
    facts: list[dict[str, float]] = field(default_factory=list)
    start: tuple[float | None, float | None] = (None, None)

    def member(self, i: int) -> Member:
        """An element as the solver would give it."""
        n = len(self.centres)
        end = self.joints[(i + 1) % n] if self.closed else self.joints[i + 1]
        return Member(i, self.joints[i], end, self.centres[i], self.sweeps[i])

    def contour(self) -> Contour:
        """What the solver is asked."""
        elements = []
        for i, facts in enumerate(self.facts):
            arc = self.centres[i] is not None
            own = tuple(Fact(k, facts[k]) for k in KEYS if k in facts)
            elements.append(Element(arc, self.sweeps[i] > 0, own, self.smooth[i], 0.0, False))
        return Contour(self.start, tuple(elements), self.closed, "XY", None)


def random_chain(rng: random.Random, count: int) -> Chain:
    """Lines and arcs one after the other, about half of them smooth; the first facts are all there are."""
    x, y, way = rng.uniform(-20, 20), rng.uniform(-20, 20), rng.uniform(0, math.tau)
    joints, centres, sweeps, smooth = [(x, y)], list[tuple[float, float] | None](), list[float](), list[bool]()
    for i in range(count):
        runs_on = (
            i > 0
            and rng.random() < SMOOTH_SHARE
            and not (centres[-1] is None and sweeps[-1] == 0 and rng.random() < 0.5)
        )
        arc = rng.random() < 0.55
        if runs_on and not arc and centres[-1] is None:
            arc = True
        if not runs_on:
            way += rng.uniform(0.4, 2.4) * rng.choice((-1, 1))
        smooth.append(runs_on)
        if arc:
            radius, sweep = rng.uniform(3, 30), math.radians(rng.uniform(20, 220)) * rng.choice((-1, 1))
            s = 1 if sweep > 0 else -1
            cx, cy = x - s * radius * math.sin(way), y + s * radius * math.cos(way)
            a = math.atan2(y - cy, x - cx) + sweep
            x, y, way = cx + radius * math.cos(a), cy + radius * math.sin(a), way + sweep
            centres.append((cx, cy))
            sweeps.append(sweep)
        else:
            length = rng.uniform(5, 40)
            x, y = x + length * math.cos(way), y + length * math.sin(way)
            centres.append(None)
            sweeps.append(0.0)
        joints.append((x, y))
    chain = Chain(joints, centres, sweeps, smooth, False)
    for i in range(count):
        keys = LINE_KEYS if centres[i] is None else ARC_KEYS
        chain.facts.append({k: chain.member(i).value(k) for k in keys})
    chain.start = joints[0]
    return chain


def slots(chain: Chain) -> list[tuple[int, str]]:
    """All facts that can be hidden: element and key, ``tangent`` too; the start's as element -1."""
    found = [(-1, k) for k, v in zip("xy", chain.start, strict=True) if v is not None]
    for i, facts in enumerate(chain.facts):
        found += [(i, k) for k in facts]
        if chain.smooth[i]:
            found.append((i, "tangent"))
    return found


def without(chain: Chain, element: int, key: str) -> Chain:
    """The same chain with one fact hidden."""
    facts, smooth, start = [dict(f) for f in chain.facts], list(chain.smooth), chain.start
    if element < 0:
        start = (None, start[1]) if key == "x" else (start[0], None)
    elif key == "tangent":
        smooth[element] = False
    else:
        del facts[element][key]
    return Chain(chain.joints, chain.centres, chain.sweeps, smooth, chain.closed, facts, start)


def _unknowns(chain: Chain) -> np.ndarray:
    rows = [*chain.joints, *(c for c in chain.centres if c is not None)]
    return np.array(rows, float).ravel()


def _residuals(chain: Chain, v: np.ndarray) -> np.ndarray:
    """All facts as numbers that are zero where they hold; a radian counts as much as 10 mm."""
    joints = v[: 2 * len(chain.joints)].reshape(-1, 2)
    rest, k = v[2 * len(chain.joints) :].reshape(-1, 2), 0
    found: list[float] = []
    for value, there in zip(chain.start, joints[0], strict=True):
        if value is not None:
            found.append(there - value)
    ways: list[tuple[float, float]] = []
    for i, facts in enumerate(chain.facts):
        (ax, ay), (bx, by) = joints[i], joints[i + 1]
        if chain.centres[i] is None:
            angle = math.atan2(by - ay, bx - ax)
            ways.append((angle, angle))
            now = {
                "x": bx,
                "y": by,
                "dx": bx - ax,
                "dy": by - ay,
                "length": math.hypot(bx - ax, by - ay),
                "angle": math.degrees(angle),
            }
        else:
            cx, cy = rest[k]
            k += 1
            r0, r1 = math.hypot(ax - cx, ay - cy), math.hypot(bx - cx, by - cy)
            found.append(r0 - r1)
            s = 1 if chain.sweeps[i] > 0 else -1
            a0, a1 = math.atan2(ay - cy, ax - cx), math.atan2(by - cy, bx - cx)
            ways.append((a0 + s * math.pi / 2, a1 + s * math.pi / 2))
            turned = (s * (a1 - a0)) % math.tau
            now = {
                "x": bx,
                "y": by,
                "dx": bx - ax,
                "dy": by - ay,
                "radius": r0,
                "cx": cx,
                "cy": cy,
                "sweep": math.degrees(turned),
            }
        for key, value in facts.items():
            off = now[key] - value
            if key in ("angle", "sweep"):
                off = math.radians((off + 180) % 360 - 180) * 10
            found.append(off)
        if chain.smooth[i]:
            turn = ways[i][0] - ways[i - 1][1]
            found.append(((turn + math.pi) % math.tau - math.pi) * 10)
    return np.array(found)


def labels(chain: Chain) -> list[tuple[int, str]]:
    """Which fact each number of :func:`_residuals` is about; an arc's own roundness is no fact."""
    found = [(-1, k) for k, v in zip("xy", chain.start, strict=True) if v is not None]
    for i, facts in enumerate(chain.facts):
        found += [(i, "round")] if chain.centres[i] is not None else []
        found += [(i, key) for key in facts]
        found += [(i, "tangent")] if chain.smooth[i] else []
    return found


def gradients(chain: Chain) -> np.ndarray:
    """A row for each fact, a column for each unknown, by differences at the true points."""
    v = _unknowns(chain)
    columns = []
    for n in range(len(v)):
        h = np.zeros(len(v))
        h[n] = 1e-5
        columns.append((_residuals(chain, v + h) - _residuals(chain, v - h)) / 2e-5)
    return np.array(columns).T


def _freedom(rows: np.ndarray) -> tuple[int, bool]:
    values = np.linalg.svd(rows, compute_uv=False)
    least = CLEAR * values[0]
    rank = int((values > least).sum())
    return rows.shape[1] - rank, not ((values > 1e-6 * values[0]) & (values <= least)).any()


def freedom(chain: Chain) -> tuple[int, bool]:
    """How many facts lack at the true points, and whether that is clear beyond rounding."""
    v = _unknowns(chain)
    return _freedom(gradients(chain)) if len(_residuals(chain, v)) else (len(v), True)


def hidden(chain: Chain, rng: random.Random, most: int = 1000) -> Chain:
    """Facts hidden in random order while none of the true points comes loose."""
    order = slots(chain)
    rng.shuffle(order)
    rows, names = gradients(chain), labels(chain)
    kept = list(range(len(names)))
    for element, key in order[:most]:
        without_it = [k for k in kept if names[k] != (element, key)]
        if _freedom(rows[without_it]) != (0, True):
            continue
        trial = without(chain, element, key)
        if longest_run(trial) <= LONGEST_RUN:
            chain, kept = trial, without_it
    return chain


def like(member: Member, true: Member, tolerance: float) -> bool:
    """Whether a solved element is the true one."""
    same = math.dist(member.start, true.start) < tolerance and math.dist(member.end, true.end) < tolerance
    if member.centre is None or true.centre is None:
        return same and member.centre is true.centre
    return (
        same and math.dist(member.centre, true.centre) < 10 * tolerance and abs(member.sweep - true.sweep) < tolerance
    )


def worst_fact(chain: Chain, members: tuple[Member, ...]) -> float:
    """By how much an answer misses any fact, mm (angles at 10 mm)."""
    there = Chain(
        [members[0].start, *(m.end for m in members)],
        [m.centre for m in members],
        chain.sweeps,
        chain.smooth,
        chain.closed,
        chain.facts,
        chain.start,
    )
    return float(np.abs(_residuals(there, _unknowns(there))).max())


def longest_run(chain: Chain, tolerance: float = 0.001) -> int:
    """How many elements in a row stay unknown once all has spread that follows directly: what the calculator promises ends at three."""
    search = Search(chain.contour(), tolerance, None, math.inf)
    return max((len(p.elements) for p in search.pieces(search.base())), default=0)
