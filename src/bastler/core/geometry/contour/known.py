"""What is certain about a chain so far: joints, directions, the lines and circles that elements lie on."""

from __future__ import annotations

import math
from collections import deque
from typing import Self

from bastler.core.geometry.contour.chain import Chain, Direction

Number = float | None
Setting = tuple[str, int, float]
"""What is set: name of a list of :class:`Known`, index, value."""
Fork = list[list[Setting]]
NAMES = ("x", "y", "cx", "cy", "r", "p", "length", "wx", "wy", "angle")


def left_of(angle: float) -> tuple[float, float]:
    """Unit normal to the left of a direction."""
    return (-math.sin(angle), math.cos(angle))


class Known:
    """All values found so far; ``None`` where nothing is known.

    By joint: ``x``, ``y``. By element: centre ``cx``, ``cy`` and signed radius ``r`` of arcs, offset ``p`` and
    ``length`` of lines, the ways ``wx``, ``wy`` from start to end. By class: ``angle`` (radians).
    """

    def __init__(self, chain: Chain) -> None:
        self.chain = chain
        n = chain.count
        self.x: list[Number] = [None] * chain.joints
        self.y: list[Number] = [None] * chain.joints
        self.cx: list[Number] = [None] * n
        self.cy: list[Number] = [None] * n
        self.r: list[Number] = [None] * n
        self.p: list[Number] = [None] * n
        self.length: list[Number] = [None] * n
        self.wx: list[Number] = [None] * n
        self.wy: list[Number] = [None] * n
        self.angle: list[Number] = [None] * (2 * n)
        self.done = [False] * n
        self.queue: deque[int] = deque()
        self.waiting: set[int] = set()
        self.forks: dict[tuple[str, int], Fork] = {}

    def copy(self) -> Self:
        """A second one that can go another way."""
        other = type(self).__new__(type(self))
        other.chain = self.chain
        for name in NAMES:
            setattr(other, name, getattr(self, name)[:])
        other.done, other.queue, other.waiting = self.done[:], self.queue.copy(), set(self.waiting)
        other.forks = dict(self.forks)
        return other

    def begin_facts(self) -> None:
        """Put in what is given."""
        chain = self.chain
        x, y = chain.contour.start
        for name, value in (("x", x), ("y", y)):
            if value is not None:
                self.put(name, 0, value)
        for c, angle in chain.anchored.items():
            self.put("angle", c, angle)
        for i, facts in enumerate(chain.fact):
            for key, value in facts.items():
                match key:
                    case "x" | "y":
                        self.put(key, chain.end(i), value)
                    case "radius":
                        self.put("r", i, chain.sign[i] * value)
                    case "cx" | "cy" | "length":
                        self.put(key, i, value)
                    case "dx" | "dy":
                        self.put("w" + key[1], i, value)
        for i in range(chain.count):
            self.call(i)

    def put(self, name: str, index: int, value: float) -> None:
        """Set one value, if it isn't known yet, and call those whom it concerns."""
        values: list[Number] = getattr(self, name)
        if values[index] is not None:
            return
        values[index] = value
        chain = self.chain
        if name in ("x", "y"):
            if index < chain.count:
                self.call(index)
                if chain.before(index) >= 0:
                    self.call(chain.before(index))
            else:
                self.call(index - 1)
        elif name == "angle":
            for i in chain.members[index]:
                self.call(i)
        else:
            self.call(index)
            for other in (chain.before(index), chain.after(index)):
                if other >= 0:
                    self.call(other)

    def call(self, i: int) -> None:
        """Have an element visited again."""
        if i not in self.waiting:
            self.waiting.add(i)
            self.queue.append(i)

    def direction(self, d: Direction) -> Number:
        """Angle of a direction, radians."""
        angle = self.angle[d[0]]
        return None if angle is None else angle + d[1]

    def joint(self, j: int) -> tuple[float, float] | None:
        """A joint, if both coordinates are known."""
        x, y = self.x[j], self.y[j]
        return None if x is None or y is None else (x, y)

    def circle(self, i: int) -> tuple[float, float, float] | None:
        """Centre and signed radius, if known."""
        cx, cy, r = self.cx[i], self.cy[i], self.r[i]
        return None if cx is None or cy is None or r is None else (cx, cy, r)

    def line(self, i: int) -> tuple[float, float, float] | None:
        """Left normal and offset of a line element, if known."""
        angle, p = self.direction(self.chain.begin[i]), self.p[i]
        return None if angle is None or p is None else (*left_of(angle), p)

    def face(self, d: Direction, angle: float) -> None:
        """Make a direction known."""
        self.put("angle", d[0], angle - d[1])
