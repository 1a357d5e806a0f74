"""Edits of the job's contours: each is one new document, one step back."""

from __future__ import annotations

from bastler.core.geometry.contour.answers import Member
from bastler.core.job.document import ContourRecord, ElementRecord
from bastler.core.planning.contours import NamedContour, chosen_text, inner_key, outer_key, plane_of, times_of
from bastler.core.planning.imported import typed_length
from bastler.ui.benches import window_bench
from bastler.ui.edits import with_value
from bastler.ui.session import Session

KINDS = {"line": ("line", ""), "cw": ("arc", "cw"), "ccw": ("arc", "ccw")}
OTHER_WAY = {"cw": "ccw", "ccw": "cw", "": ""}


class ContourEdits:
    """What a person does to contours."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def record(self, key: str) -> ContourRecord | None:
        """A contour by its id."""
        return next((c for c in self.session.job.contours if c.id == key), None)

    def solved(self, key: str) -> NamedContour | None:
        """What has become of it."""
        return self.session.plan.contours.get(key)

    def users(self, key: str) -> list[str]:
        """Steps of any setup that name a contour."""
        job, found = self.session.job, []
        for n, setup in enumerate(job.setups):
            for i, step in enumerate(setup.steps):
                if key in {k.strip() for text in step.values.values() for k in text.split(",")}:
                    found.append(f"step {i + 1}" + (f" of setup {n + 1}" if len(job.setups) > 1 else ""))
        return found

    def add(self) -> ContourRecord:
        """A new contour, empty."""
        values = dict(window_bench(self.session.plan).new_contour)
        new = ContourRecord(name=f"contour {len(self.session.job.contours) + 1}", values=values)
        self.session.edit(self.session.job.changed(contours=(*self.session.job.contours, new)))
        return new

    def change(self, key: str, merge: str | None = None, **changes: object) -> None:
        """Change entries of a contour; every step on it follows."""
        contours = tuple(c.changed(**changes) if c.id == key else c for c in self.session.job.contours)
        self.session.edit_contours(self.session.job.changed(contours=contours), merge and f"{key}.{merge}")

    def delete(self, key: str) -> bool:
        """Take a contour out; one in use stays, and the person is told who uses it."""
        users = self.users(key)
        if users:
            self.session.message.emit(f"This contour is used by {', '.join(users)}. Give those another contour first.")
            return False
        self.session.edit(self.session.job.changed(contours=tuple(c for c in self.session.job.contours if c.id != key)))
        return True

    def type_value(self, key: str, field: str, text: str) -> None:
        """Type into a field of the contour itself."""
        record = self.record(key)
        if record is not None:
            self.change(key, field, values=with_value(record.values, field, text))

    # elements

    def _put(self, key: str, elements: tuple[ElementRecord, ...], merge: str | None = None) -> None:
        self.change(key, merge, elements=elements)

    def insert(self, key: str, at: int, kind: str) -> None:
        """A new line or arc before the element ``at``, or as the last one."""
        if self.record(key) is not None:
            word, way = KINDS[kind]
            self.put_in(key, at, ElementRecord(type=word, dir=way))  # type: ignore[arg-type]

    def put_in(self, key: str, at: int, new: ElementRecord) -> None:
        """An element before the one at ``at``, or as the last one."""
        record = self.record(key)
        if record is not None:
            self._put(key, (*record.elements[:at], new, *record.elements[at:]))

    def remove(self, key: str, at: int) -> None:
        """Take an element out."""
        record = self.record(key)
        if record is not None and 0 <= at < len(record.elements):
            self._put(key, (*record.elements[:at], *record.elements[at + 1 :]))

    def type_fact(self, key: str, at: int, fact: str, text: str) -> None:
        """Type a fact of an element; ``tangent`` and ``dir`` too."""
        record = self.record(key)
        if record is None or not 0 <= at < len(record.elements):
            return
        one = record.elements[at]
        if fact == "tangent":
            new = one.changed(tangent=text == "yes")
        elif fact == "dir":
            new = one.changed(dir=text)
        else:
            new = one.changed(facts=with_value(one.facts, fact, text))
        self._put(key, (*record.elements[:at], new, *record.elements[at + 1 :]), f"{at}.{fact}")

    def type_facts(self, key: str, at: int, facts: dict[str, str]) -> None:
        """Several facts of an element at once, by the keys of the XY plane and as true lengths."""
        record = self.record(key)
        if record is not None and facts and 0 <= at < len(record.elements):
            plane = plane_of(record.values)
            facts = {
                outer_key(plane, k): t if times_of(plane, k) == 1.0 else f"{times_of(plane, k):g}*({t})"
                for k, t in facts.items()
            }
            new = record.elements[at].changed(facts={**record.elements[at].facts, **facts})
            self._put(key, (*record.elements[:at], new, *record.elements[at + 1 :]))

    def drop_fact(self, key: str, at: int, fact: str) -> None:
        """Take a fact back."""
        self.session.end_merge()
        self.type_fact(key, at, fact, "no" if fact == "tangent" else "")
        self.session.end_merge()

    def swap_way(self, key: str, at: int) -> None:
        """An arc turns the other way; a line's direction is turned round where an angle gives it."""
        record = self.record(key)
        if record is None or not 0 <= at < len(record.elements):
            return
        one = record.elements[at]
        if one.type == "arc":
            new = one.changed(dir=OTHER_WAY[one.dir or "cw"])
        elif one.facts.get("angle", "").strip():
            new = one.changed(facts={**one.facts, "angle": f"({one.facts['angle']})+180"})
        else:
            self.session.message.emit(
                "A line's direction follows from its ends; only an arc or an angle can be swapped."
            )
            return
        self._put(key, (*record.elements[:at], new, *record.elements[at + 1 :]))

    def split(self, key: str, at: int) -> None:
        """Two elements of one that is known, joined in its middle; the first keeps what leads there."""
        record, solved = self.record(key), self.solved(key)
        member = self.member(key, at)
        if record is None or solved is None or member is None or not 0 <= at < len(record.elements):
            self.session.message.emit("Only an element whose points are known can be split. Give its facts first.")
            return
        one, units = record.elements[at], self.session.job.units
        plane = plane_of(record.values)

        def typed(**facts: float) -> dict[str, str]:
            return {outer_key(plane, k): typed_length(v * times_of(plane, k), units) for k, v in facts.items()}

        keep = {k: t for k, t in one.facts.items() if inner_key(plane, k) in ("radius", "cx", "cy")}
        end = typed(x=member.end[0], y=member.end[1])
        first = one.changed(facts={**keep, **typed(x=member.middle[0], y=member.middle[1])})
        rest = {k: t for k, t in one.facts.items() if k in ("corner", "chamfer")}
        second = one.changed(tangent=True, facts={**keep, **end, **rest})
        if one.type == "arc" and not keep:
            cx, cy = member.centre or (0.0, 0.0)
            centre = typed(cx=cx, cy=cy)
            first, second = (e.changed(facts={**e.facts, **centre}) for e in (first, second))
        self._put(key, (*record.elements[:at], first, second, *record.elements[at + 1 :]))

    def start_here(self, key: str, at: int) -> None:
        """A closed contour begins with this element."""
        record, solved, member = self.record(key), self.solved(key), self.member(key, at)
        if record is None or solved is None or not solved.closed or member is None:
            self.session.message.emit("Only a closed contour whose points are known can begin elsewhere.")
            return
        units = self.session.job.units
        values = {
            **record.values,
            "start_x": typed_length(member.start[0], units),
            "start_y": typed_length(member.start[1], units),
        }
        self.change(key, values=values, elements=(*record.elements[at:], *record.elements[:at]))

    def choose(self, key: str, which: int) -> None:
        """Take one of several answers."""
        record, solved = self.record(key), self.solved(key)
        if record is not None and solved is not None and 0 <= which < len(solved.answers):
            text = chosen_text(solved.answers[which], self.session.job.units)
            self.change(key, values=with_value(record.values, "chosen", text))

    def members(self, key: str) -> dict[int, Member]:
        """The solved elements that are known by their index: in the chosen answer, or because they are certain."""
        solved = self.solved(key)
        return {m.source: m for m in reversed(solved.known)} if solved is not None else {}

    def member(self, key: str, at: int) -> Member | None:
        """One of them."""
        return self.members(key).get(at)
