"""Knowledge about a chain, carried forward and backward until nothing moves.

*Visit* draws every conclusion about one element and its two joints. Where a closed form has two answers, it becomes a
*fork*: a list of things to set, one for each answer.
"""

from __future__ import annotations

import math

from bastler.core.geometry.contour.facts import SHORTEST
from bastler.core.geometry.contour.known import Fork, Known, Number, left_of
from bastler.core.geometry.contour.loci import CIRCLE, POINT, Row, meet, touching
from bastler.core.geometry.contour.measure import directions_at, missed

FLAT = 1e-9
LOOSE = 4.0
"""A branch is given up when a fact is missed by this many tolerances; the answer itself is judged by one."""


class Dead(Exception):
    """A contradiction: element, fact and by how much."""

    def __init__(self, element: int, key: str, by: float = 0.0) -> None:
        super().__init__(element, key, by)
        self.element, self.key, self.by = element, key, by


class Spread(Known):
    """Knowledge that draws its own conclusions."""

    def spread(self) -> None:
        """Visit until nothing moves; raises :class:`Dead` at a contradiction."""
        while self.queue:
            i = self.queue.popleft()
            self.waiting.discard(i)
            self.visit(i)

    def visit(self, i: int) -> None:
        """Every conclusion about one element and its joints."""
        chain = self.chain
        if self.done[i]:
            return
        self._ways(i)
        (self._arc if chain.sign[i] else self._line)(i)
        self._joint(i)
        self._joint(chain.end(i))
        self._finish(i)

    def _ways(self, i: int) -> None:
        a, b = i, self.chain.end(i)
        if a == b:
            return
        for name, way, values in (("x", "wx", self.x), ("y", "wy", self.y)):
            start, end, by = values[a], values[b], getattr(self, way)[i]
            if start is not None and end is not None:
                getattr(self, way)[i] = end - start  # end points are kept, ways follow
            elif by is not None:
                if start is not None:
                    self.put(name, b, start + by)
                elif end is not None:
                    self.put(name, a, end - by)

    def _line(self, i: int) -> None:
        chain = self.chain
        d = chain.begin[i]
        wx, wy, length, angle = self.wx[i], self.wy[i], self.length[i], self.direction(d)
        if wx is not None and wy is not None:
            long = math.hypot(wx, wy)
            if long < SHORTEST:
                raise Dead(i, "x")
            if angle is None:
                self.face(d, math.atan2(wy, wx))
            if length is None:
                self.put("length", i, long)
        elif angle is not None:
            c, s = math.cos(angle), math.sin(angle)
            for w, share in ((wx, c), (wy, s)):
                if w is not None and length is None and abs(share) > FLAT:
                    length = w / share
                    if length <= 0:
                        raise Dead(i, "angle", abs(length))
                    self.put("length", i, length)
            if length is not None:
                self._way(i, "wx", length * c)
                self._way(i, "wy", length * s)
        elif length is not None and (wx is not None or wy is not None):
            options = [[("angle", d[0], a - d[1])] for a in self._headings(i, length, wx, wy)]
            self._choose(("angle", d[0]), options)
        self._carrier(i)

    def _way(self, i: int, name: str, by: float) -> None:
        if getattr(self, name)[i] is None:
            self.put(name, i, by)

    def _carrier(self, i: int) -> None:
        """The line that a line element lies on: from a point of it, or from what it touches."""
        if self.p[i] is not None:
            return
        chain = self.chain
        d = chain.begin[i]
        angle = self.direction(d)
        if angle is not None:
            nx, ny = left_of(angle)
            for j in (i, chain.end(i)):
                point = self.joint(j)
                if point is not None:
                    self.put("p", i, nx * point[0] + ny * point[1])
                    return
            for c in self._touched(i):
                self.put("p", i, nx * c[0] + ny * c[1] - c[2])
                return
            return
        touched = self._touched(i)
        if not touched:
            return
        points = [(*p, 0.0) for p in (self.joint(i), self.joint(chain.end(i))) if p is not None]
        both = (points + touched)[:2]
        if len(both) < 2:
            return
        roots = touching(both[0], both[1])
        if not roots:
            away = math.hypot(both[0][0] - both[1][0], both[0][1] - both[1][1])
            if away > SHORTEST:
                raise Dead(i, "smooth", abs(abs(both[0][2] - both[1][2]) - away))
            return
        options = []
        for nx, ny in roots:
            options.append(
                [("angle", d[0], math.atan2(-nx, ny) - d[1]), ("p", i, nx * both[0][0] + ny * both[0][1] - both[0][2])]
            )
        self._choose(("angle", d[0]), options)

    def _touched(self, i: int) -> list[tuple[float, float, float]]:
        """Known circles that a line runs into smoothly."""
        chain = self.chain
        found = []
        before, after = chain.before(i), chain.after(i)
        if before >= 0 and chain.elements[i].smooth and chain.sign[before]:
            found.append(self.circle(before))
        if after >= 0 and chain.elements[after].smooth and chain.sign[after]:
            found.append(self.circle(after))
        return [c for c in found if c is not None]

    def _arc(self, i: int) -> None:
        self._arc_from_way(i)
        if self.circle(i) is None:
            self._circle(i)
        circle = self.circle(i)
        chain = self.chain
        cx, cy = self.cx[i], self.cy[i]
        if self.r[i] is not None:
            self._by_height(i)
        if cx is None or cy is None:
            return
        for j, d in ((i, chain.begin[i]), (chain.end(i), chain.finish[i])):
            point, angle = self.joint(j), self.direction(d)
            if point is not None:
                away = math.hypot(cx - point[0], cy - point[1])
                if away < SHORTEST:
                    raise Dead(i, "radius")
                if circle is None:
                    self.put("r", i, chain.sign[i] * away)
                    circle = self.circle(i)
                if angle is None:
                    s = chain.sign[i]
                    self.face(d, math.atan2(-s * (cx - point[0]), s * (cy - point[1])))
            elif circle is not None and angle is not None:
                nx, ny = left_of(angle)
                self.put("x", j, cx - circle[2] * nx)
                self.put("y", j, cy - circle[2] * ny)

    def _by_height(self, i: int) -> None:
        """Where an end lies this far from the centre along one axis: two directions."""
        chain, radius = self.chain, abs(self.r[i] or 0.0)
        for j, d in ((i, chain.begin[i]), (chain.end(i), chain.finish[i])):
            if self.direction(d) is not None or self.joint(j) is not None:
                continue
            for values, centre, along in ((self.x, self.cx[i], True), (self.y, self.cy[i], False)):
                there = values[j]
                if there is None or centre is None:
                    continue
                share = (there - centre) / max(radius, SHORTEST)
                if abs(share) > 1 + chain.tolerance / max(radius, SHORTEST):
                    raise Dead(i, "radius", (abs(share) - 1) * radius)
                share = min(max(share, -1.0), 1.0)
                first = math.acos(share) if along else math.asin(share)
                second = -first if along else math.pi - first
                turn = chain.sign[i] * math.pi / 2
                self._choose(("angle", d[0]), [[("angle", d[0], a + turn - d[1])] for a in (first, second)])

    def _arc_from_way(self, i: int) -> None:
        """What follows from directions, sweep, radius and the way from start to end alone."""
        chain = self.chain
        sign, sweep = chain.sign[i], chain.fact[i].get("sweep")
        begin, finish = self.direction(chain.begin[i]), self.direction(chain.finish[i])
        wx, wy, r = self.wx[i], self.wy[i], self.r[i]
        full = sweep is not None and sweep > 360 - 1e-7
        if wx is not None and wy is not None and not full and (chord := math.hypot(wx, wy)) > SHORTEST:
            along = math.atan2(wy, wx)
            if sweep is not None:
                half = math.radians(sweep) / 2
                if begin is None:
                    self.face(chain.begin[i], along - sign * half)
                if r is None:
                    self.put("r", i, sign * chord / (2 * math.sin(half)))
            elif begin is not None or finish is not None:
                if begin is not None:
                    turn = along - begin
                elif finish is not None:
                    turn = finish - along
                half = (sign * turn) % math.tau
                if min(half, math.tau - half) < FLAT or half >= math.pi:
                    raise Dead(i, "smooth", chord)
                if begin is None:
                    self.face(chain.begin[i], along - sign * half)
                if finish is None:
                    self.face(chain.finish[i], along + sign * half)
                if r is None:
                    self.put("r", i, sign * chord / (2 * math.sin(half)))
        elif begin is not None and finish is not None:
            (ax, ay), (bx, by) = left_of(begin), left_of(finish)
            for w, share in ((wx, ax - bx), (wy, ay - by)):
                if r is None and w is not None and abs(share) > FLAT:
                    r = w / share
                    if r * sign <= 0:
                        raise Dead(i, "radius", abs(r))
                    self.put("r", i, r)
            if r is not None:
                self._way(i, "wx", r * (ax - bx))
                self._way(i, "wy", r * (ay - by))
        elif sweep is not None and not full and r is not None and (wx is not None or wy is not None):
            half = math.radians(sweep) / 2
            chord = 2 * abs(r) * math.sin(half)
            d = chain.begin[i]
            options = [[("angle", d[0], a - sign * half - d[1])] for a in self._headings(i, chord, wx, wy)]
            self._choose(("angle", d[0]), options)

    def _headings(self, i: int, chord: float, wx: Number, wy: Number) -> tuple[float, float]:
        """The two directions of a way of known length of which one part is known."""
        share = (wx if wx is not None else wy or 0.0) / max(chord, SHORTEST)
        if abs(share) > 1 + self.chain.tolerance / max(chord, SHORTEST):
            raise Dead(i, "sweep" if self.chain.sign[i] else "length", (abs(share) - 1) * chord)
        share = min(max(share, -1.0), 1.0)
        if wx is not None:
            return math.acos(share), -math.acos(share)
        return math.asin(share), math.pi - math.asin(share)

    def _circle(self, i: int) -> None:
        """Centre and radius from three conditions."""
        chain = self.chain
        linear: list[Row] = []
        quadric: list[Row] = []
        cx, cy, r = self.cx[i], self.cy[i], self.r[i]
        if cx is not None:
            linear.append((1.0, 0.0, 0.0, -cx))
        if cy is not None:
            linear.append((0.0, 1.0, 0.0, -cy))
        if r is not None:
            linear.append((0.0, 0.0, 1.0, -r))
        after = chain.after(i)
        ends = (
            (i, chain.begin[i], chain.before(i), chain.elements[i].smooth),
            (chain.end(i), chain.finish[i], after, after >= 0 and chain.elements[after].smooth),
        )
        for j, d, other, smooth in ends:
            angle, point = self.direction(d), self.joint(j)
            if angle is not None:
                nx, ny = left_of(angle)
                for value, row in ((self.x[j], (1.0, 0.0, -nx)), (self.y[j], (0.0, 1.0, -ny))):
                    if value is not None:
                        linear.append((*row, -value))
            if point is not None:
                if angle is None:
                    quadric.append((-2 * point[0], -2 * point[1], 0.0, point[0] ** 2 + point[1] ** 2))
            elif smooth and chain.sign[other]:
                near = self.circle(other)
                if near is not None:
                    x, y, q = near
                    quadric.append((-2 * x, -2 * y, 2 * q, x * x + y * y - q * q))
            elif smooth:
                line = self.line(other)
                if line is not None:
                    linear.append((line[0], line[1], -1.0, -line[2]))
        sweep, a, b = chain.fact[i].get("sweep"), self.joint(i), self.joint(chain.end(i))
        if sweep is not None and a is not None and b is not None and sweep < 360 - 1e-7:
            rise = 0.5 / math.tan(math.radians(sweep) / 2) * chain.sign[i]
            linear.append((1.0, 0.0, 0.0, -(a[0] + b[0]) / 2 + rise * (b[1] - a[1])))
            linear.append((0.0, 1.0, 0.0, -(a[1] + b[1]) / 2 - rise * (b[0] - a[0])))
        if len(linear) + len(quadric) < 3:
            return
        roots = meet(linear, quadric, CIRCLE, chain.tolerance)
        if roots is None:
            return
        right = [v for v in roots if v[2] * chain.sign[i] > SHORTEST]
        if not right:
            raise Dead(i, "radius")
        self._choose(("circle", i), [[("cx", i, v[0]), ("cy", i, v[1]), ("r", i, v[2])] for v in right])

    def _joint(self, j: int) -> None:
        """A joint from two conditions; the direction where two known circles touch."""
        chain = self.chain
        before, after = (chain.before(j), j) if j < chain.count else (j - 1, -1)
        smooth = after >= 0 and before >= 0 and chain.elements[after].smooth
        if smooth and chain.sign[before] and chain.sign[after] and self.direction(chain.begin[after]) is None:
            a, b = self.circle(before), self.circle(after)
            if a is not None and b is not None and abs(b[2] - a[2]) > SHORTEST:
                nx, ny = (b[0] - a[0]) / (b[2] - a[2]), (b[1] - a[1]) / (b[2] - a[2])
                self.face(chain.begin[after], math.atan2(-nx, ny))
        if self.joint(j) is not None:
            return
        linear: list[Row] = []
        quadric: list[Row] = []
        x, y = self.x[j], self.y[j]
        if x is not None:
            linear.append((1.0, 0.0, -x))
        if y is not None:
            linear.append((0.0, 1.0, -y))
        for i, far in ((before, before), (after, chain.end(after) if after >= 0 else -1)):
            if i < 0:
                continue
            circle, line = (self.circle(i), None) if chain.sign[i] else (None, self.line(i))
            if circle is not None:
                cx, cy, r = circle
                quadric.append((-2 * cx, -2 * cy, cx * cx + cy * cy - r * r))
            elif line is not None:
                linear.append((line[0], line[1], -line[2]))
            other, reach = self.joint(far), self._reach(i)
            if other is not None and reach is not None and far != j:
                quadric.append((-2 * other[0], -2 * other[1], other[0] ** 2 + other[1] ** 2 - reach * reach))
        mirror = chain.contour.mirror
        if mirror is not None and j == chain.joints - 1:
            nx, ny = left_of(math.radians(mirror.angle))
            linear.append((nx, ny, -(nx * mirror.x + ny * mirror.y)))
        if len(linear) + len(quadric) < 2:
            return
        roots = meet(linear, quadric, POINT, chain.tolerance)
        if roots is None:
            return
        if not roots:
            raise Dead(max(before, 0), "x")
        self._choose(("joint", j), [[("x", j, v[0]), ("y", j, v[1])] for v in roots])

    def _reach(self, i: int) -> Number:
        """Straight distance between both ends of an element."""
        if not self.chain.sign[i]:
            return self.length[i]
        r, sweep = self.r[i], self.chain.fact[i].get("sweep")
        if r is None:
            return None
        if sweep is not None:
            return abs(2 * r * math.sin(math.radians(sweep) / 2))
        begin, finish = self.direction(self.chain.begin[i]), self.direction(self.chain.finish[i])
        return None if begin is None or finish is None else abs(2 * r * math.sin((finish - begin) / 2))

    def _choose(self, what: tuple[str, int], options: Fork) -> None:
        """Take the only answer, or remember that there are two."""
        if len(options) == 1:
            self.forks.pop(what, None)
            for setting in options[0]:
                self.put(*setting)
        else:
            self.forks[what] = options

    def _finish(self, i: int) -> None:
        """Judge an element that is known altogether."""
        chain = self.chain
        a, b = self.joint(i), self.joint(chain.end(i))
        if a is None or b is None or (chain.sign[i] and self.circle(i) is None):
            return
        self.done[i] = True
        for angle, d in zip(directions_at(self, i), (chain.begin[i], chain.finish[i]), strict=True):
            if self.direction(d) is None:
                self.face(d, angle)  # its joints came last: neighbours that run on smoothly must hear of it
        wrong = missed(self, i, LOOSE * chain.tolerance)
        if wrong is not None:
            raise Dead(i, *wrong)
