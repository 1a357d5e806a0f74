"""What a person does to the steps of the setup in view and to the patterns of the job: each is one new document."""

from __future__ import annotations

from bastler.core.cycles import cycles
from bastler.core.job.document import PatternRecord, Step, new_id
from bastler.core.planning.patterns import PLACES
from bastler.core.quantities import whole_number
from bastler.core.tooling.owndata import Own, kept, written
from bastler.core.tooling.tools import Tool
from bastler.ui.edits import Edits, with_value


class StepEdits(Edits):
    """Edits of steps and patterns."""

    # steps

    def edit_steps(self, steps: tuple[Step, ...], merge: str | None = None) -> None:
        """Replace the list of steps."""
        self.edit(self.with_setup(self.setup.changed(steps=steps)), merge)

    def edit_step(self, step_id: str, merge: str | None = None, **changes: object) -> None:
        """Change entries of one step."""
        self.edit_steps(tuple(s.changed(**changes) if s.id == step_id else s for s in self.steps), merge)

    def type_value(self, step_id: str, key: str, text: str) -> None:
        """Type into one field of a step."""
        step = self.steps[self.index_of(step_id)]
        self.edit_step(step_id, f"{step_id}.{key}", values=with_value(step.values, key, text))

    def add_step(self, cycle: str) -> None:
        """Add a step of a cycle behind the selected one and select it."""
        assert cycle in cycles()
        step = Step(id=new_id(), cycle=cycle)
        at = self.index_of(self.selected) + 1 or len(self.steps)
        self.edit_steps((*self.steps[:at], step, *self.steps[at:]))
        self.select(step.id)

    def copy_step(self) -> None:
        """A copy behind the selected step."""
        i = self.index_of(self.selected)
        if i >= 0:
            copy = self.steps[i].changed(id=new_id())
            self.edit_steps((*self.steps[: i + 1], copy, *self.steps[i + 1 :]))
            self.select(copy.id)

    def repeat_step(self) -> None:
        """A repetition of the selected step behind it, which asks where."""
        source = self.selected
        if self.index_of(source) >= 0 and source is not None:
            offered = cycles().offered(self.plan.frame.machine)
            self.add_step(next(c.id for c in offered if c.repeat is not None))
            if self.selected is not None:
                self.edit_step(self.selected, values={"steps": source})

    def delete_steps(self, ids: tuple[str, ...]) -> None:
        """Remove steps; the one behind the first of them becomes the selected one."""
        places = [i for i, s in enumerate(self.steps) if s.id in ids]
        if places:
            rest = tuple(s for s in self.steps if s.id not in ids)
            for i in ids:
                self._tell_repetitions(i)
            self.selected = rest[min(places[0], len(rest) - 1)].id if rest else None
            self.edit_steps(rest)
            self.selection_changed.emit()

    def _tell_repetitions(self, step_id: str) -> None:
        """Say which steps repeat one that goes."""
        users = [s for s in self.plan.steps if step_id in s.step.values.get("steps", "").split(", ")]
        if users:
            names = ", ".join(f"step {s.number} ({s.full_name})" for s in users)
            self.message.emit(
                f"{names[:1].upper()}{names[1:]} repeated the deleted step and now asks which step to repeat. Ctrl+Z brings it back."
            )

    def move_step(self, by: int) -> None:
        """Move the selected step up (-1) or down (+1)."""
        i = self.index_of(self.selected)
        j = i + by
        if i >= 0 and 0 <= j < len(self.steps):
            order = list(self.steps)
            order[i], order[j] = order[j], order[i]
            self.edit_steps(tuple(order))

    def switch_step(self) -> None:
        """Switch the selected step on or off."""
        i = self.index_of(self.selected)
        if i >= 0:
            self.edit_step(self.steps[i].id, on=not self.steps[i].on)

    def open_recipe(self) -> None:
        """Put the single steps of the selected recipe in its place."""
        current, i = self.current, self.index_of(self.selected)
        if current is not None and current.parts:
            singles = [
                Step(id=new_id(), cycle=p.cycle.id, name=p.step.name, values=dict(p.step.values), on=current.step.on)
                for p in current.parts
            ]
            self.edit_steps((*self.steps[:i], *singles, *self.steps[i + 1 :]))
            self.select(singles[0].id)

    # patterns

    def pattern_users(self, pattern_id: str) -> list[str]:
        """What lies on a pattern: steps by number and name, patterns copied from it."""
        steps = [
            f"step {s.number} ({s.full_name})" for s in self.plan.steps if s.step.values.get("pattern") == pattern_id
        ]
        copies = [f"pattern “{p.name}”" for p in self.job.patterns if p.values.get("source") == pattern_id]
        return steps + copies

    def edit_pattern(self, pattern_id: str, merge: str | None = None, **changes: object) -> None:
        """Change entries of a named pattern; every step on it follows."""
        patterns = tuple(p.changed(**changes) if p.id == pattern_id else p for p in self.job.patterns)
        self.edit(self.job.changed(patterns=patterns), merge and f"{pattern_id}.{merge}")

    def add_pattern(self, name: str = "", values: dict[str, str] | None = None) -> PatternRecord:
        """A new named pattern."""
        number = len(self.job.patterns) + 1
        record = PatternRecord(name=name or f"pattern {number}", values=values or {})
        self.edit(self.job.changed(patterns=(*self.job.patterns, record)))
        return record

    def delete_pattern(self, pattern_id: str) -> bool:
        """Take a pattern out; one in use stays, and the person is told who uses it."""
        users = self.pattern_users(pattern_id)
        if users:
            self.message.emit(f"This pattern is used by {', '.join(users)}. Give those another pattern first.")
            return False
        self.edit(self.job.changed(patterns=tuple(p for p in self.job.patterns if p.id != pattern_id)))
        return True

    def name_pattern(self) -> PatternRecord | None:
        """Make the selected step's own pattern a named one that other steps can use."""
        step = self.steps[self.index_of(self.selected)] if self.index_of(self.selected) >= 0 else None
        keys = {f.key for f in PLACES} | {"pattern"}
        if (
            step is None
            or "pattern" not in {f.key for f in cycles()[step.cycle].fields}
            or step.values.get("pattern", "").startswith("#")
        ):
            self.message.emit("Select a step that has a pattern of its own.")
            return None
        own = {k: v for k, v in step.values.items() if k in keys}
        record = PatternRecord(name=step.name or f"pattern {len(self.job.patterns) + 1}", values=own)
        rest = {k: v for k, v in step.values.items() if k not in keys} | {"pattern": record.id}
        steps = tuple(s.changed(values=rest) if s.id == step.id else s for s in self.steps)
        self.edit(
            self.with_setup(self.setup.changed(steps=steps), self.job.changed(patterns=(*self.job.patterns, record)))
        )
        return record

    @property
    def remedy(self) -> tuple[str, str] | None:
        """A field of the selected step and what to type there to mend what is wrong with it, if that is known."""
        problems = self.current.answers.problems if self.current is not None else ()
        return next((p.remedy for p in problems if p.remedy is not None), None)

    def take_remedy(self) -> None:
        """Type it."""
        if self.selected is not None and self.remedy is not None:
            self.type_value(self.selected, *self.remedy)
            self.end_merge()

    @property
    def keepable(self) -> Own | None:
        """What was typed in the selected step that its tool can keep."""
        from bastler.core.plans.keeping import typed_values

        return typed_values(self.current) if self.current is not None else None

    def keep_values(self) -> None:
        """Keep the typed speeds, feeds and cuts with the step's tool, for its material."""
        step, new = self.current, self.keepable
        if step is None or new is None or not isinstance(tool := step.answers.values.get("tool"), Tool):
            self.message.emit("Type a speed, a feed, a depth or a side step first; its tool then keeps it.")
            return
        from bastler.core.plans.keeping import per_word

        text = written(kept(tool.own, new), per_word(step))
        tools = tuple(
            t.changed(values=with_value(t.values, "own", text)) if t.number == tool.number else t
            for t in self.job.tools
        )
        self.edit(self.job.changed(tools=tools))
        self.message.emit(f"Kept for {tool.name} in {step.work.material.id}.")

    def toggle_hole(self, number: int, pattern_id: str = "") -> None:
        """Leave a hole out or make it again: of a named pattern, or of the one that the selected step lies on."""
        step = next((s for s in self.steps if s.id == self.selected), None)
        pattern = pattern_id or (step.values.get("pattern", "") if step is not None else "")
        record = next((p for p in self.job.patterns if p.id == pattern), None)
        values = record.values if record is not None else step.values if step is not None else {}
        typed = (whole_number(n) for n in values.get("skip", "").replace(";", ",").split(","))
        left = {n for n in typed if n is not None} ^ {number}
        values = with_value(values, "skip", ", ".join(str(n) for n in sorted(left)))
        if record is not None:
            self.edit_pattern(record.id, values=values)
        elif step is not None:
            self.edit_step(step.id, values=values)
