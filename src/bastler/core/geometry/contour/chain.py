"""A contour as the solver sees it: joints between elements, and directions that are the same thing.

*Joint* ``j`` lies before element ``j``; a closed chain's last element ends at joint 0. *Class*: all directions that
differ by known angles (a line has one direction, a smooth joint hands it on, an arc of known sweep turns it), so
that one unknown angle stands for all of them.
"""

from __future__ import annotations

import math

from bastler.core.geometry.contour.facts import Contour, Element, Key

Direction = tuple[int, float]
"""A class, and by how much (radians) a direction is turned from it."""


class Chain:
    """What does not change while a contour is solved.

    ``begin``, ``finish``: directions at both ends of every element. ``fact``: values by key for each element.
    ``members``: elements by class. ``anchored``: classes whose angle is given.
    """

    def __init__(self, contour: Contour, tolerance: float, arrives: float | None = None) -> None:
        """``arrives``: the direction of the last element's end, radians, if it is known from elsewhere."""
        self.contour = contour
        self.arrives = arrives
        self.elements: tuple[Element, ...] = contour.elements
        self.tolerance = tolerance
        self.count = len(contour.elements)
        self.joints = self.count if contour.closed else self.count + 1
        self.fact: list[dict[Key, float]] = [{f.key: f.value for f in e.facts} for e in self.elements]
        self.sign = [0 if not e.arc else (1 if e.ccw else -1) for e in self.elements]
        self._directions()

    def end(self, i: int) -> int:
        """The joint at the end of an element."""
        return (i + 1) % self.joints

    def before(self, i: int) -> int:
        """The element before one, -1 for none."""
        return i - 1 if i else (self.count - 1 if self.contour.closed else -1)

    def after(self, i: int) -> int:
        """The element after one, -1 for none."""
        return i + 1 if i + 1 < self.count else (0 if self.contour.closed else -1)

    def _directions(self) -> None:
        """Union-find over both directions of every element, with turns; a class is named by its root."""
        parent, turn = list(range(2 * self.count)), [0.0] * (2 * self.count)

        def find(a: int) -> tuple[int, float]:
            path, total = [], 0.0
            while parent[a] != a:
                path.append(a)
                a = parent[a]
            for node in reversed(path):
                total += turn[node]
                turn[node], parent[node] = total, a
            return a, total

        def join(a: int, b: int, by: float) -> None:
            """Direction b = direction a + by."""
            (ra, ta), (rb, tb) = find(a), find(b)
            if ra != rb:
                parent[rb], turn[rb] = ra, ta + by - tb

        for i, e in enumerate(self.elements):
            sweep = self.fact[i].get("sweep")
            if not e.arc:
                join(2 * i, 2 * i + 1, 0.0)
            elif sweep is not None:
                join(2 * i, 2 * i + 1, self.sign[i] * math.radians(sweep))
            if e.smooth and self.before(i) >= 0:
                join(2 * self.before(i) + 1, 2 * i, 0.0)
        found = [find(k) for k in range(2 * self.count)]
        self.begin: list[Direction] = found[0::2]
        self.finish: list[Direction] = found[1::2]
        self.members: dict[int, list[int]] = {}
        self.anchored: dict[int, float] = {}
        for i in range(self.count):
            for c, _ in {self.begin[i], self.finish[i]}:
                members = self.members.setdefault(c, [])
                if not members or members[-1] != i:
                    members.append(i)
            angle = self.fact[i].get("angle")
            if angle is not None:
                c, by = self.begin[i]
                self.anchored.setdefault(c, math.radians(angle) - by)
        if self.arrives is not None:
            c, by = self.finish[-1]
            self.anchored.setdefault(c, self.arrives - by)
