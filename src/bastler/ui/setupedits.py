"""What a person does to the setups of the job and to its tool table: each is one new document."""

from __future__ import annotations

from bastler.core.job.document import ToolRecord
from bastler.ui.edits import Edits, with_value

CARRIED_OVER = ("held_in", "jaws_along", "jaw_height", "jaw_width", "bed_height", "clearance")
"""Answers of a setup that the next one starts with."""


class SetupEdits(Edits):
    """Edits of setups and tools."""

    at: int

    # setups

    def add_setup(self) -> None:
        """A further setup behind the one in view, on the same machine, with the stock as this one leaves it."""
        values = {k: t for k, t in self.setup.values.items() if k in CARRIED_OVER}
        new = self.setup.changed(steps=(), values={**values, "stock_kind": "before"})
        at = self.at + 1
        self.edit(self.job.changed(setups=(*self.job.setups[:at], new, *self.job.setups[at:])))
        self.show_setup(at)

    def delete_setup(self) -> None:
        """Take the setup in view out; the last one stays."""
        if len(self.job.setups) == 1:
            self.message.emit("A job has one setup at least.")
            return
        at = self.at
        rest = (*self.job.setups[:at], *self.job.setups[at + 1 :])
        self.edit(self.job.changed(setups=rest))
        self.at = -1
        self.show_setup(max(at - 1, 0))

    # setup and tools

    def type_setup(self, key: str, text: str) -> None:
        """Type into a field of the setup."""
        values = with_value(self.setup.values, key, text)
        self.edit(self.with_setup(self.setup.changed(values=values)), f"setup.{key}")

    def free_number(self) -> int:
        """The lowest tool number that no line of the table has."""
        taken = {t.number for t in self.job.tools}
        return next(n for n in range(1, 10_000) if n not in taken)

    def numbered(self, tool: ToolRecord) -> ToolRecord:
        """A tool under its own number, or a free one if that is taken."""
        taken = {t.number for t in self.job.tools}
        return tool.changed(number=self.free_number()) if tool.number in taken else tool

    def take_tool(self, tool: ToolRecord, key: str) -> None:
        """Put a tool into the table and let the selected step use it at a field."""
        record, step = self.numbered(tool), self.steps[self.index_of(self.selected)]
        new = step.changed(values=with_value(step.values, key, str(record.number)))
        steps = tuple(new if s.id == step.id else s for s in self.steps)
        job = self.job.changed(tools=(*self.job.tools, record))
        self.edit(self.with_setup(self.setup.changed(steps=steps), job))

    def edit_tools(self, tools: tuple[ToolRecord, ...], merge: str | None = None) -> None:
        """Replace the tool table."""
        self.edit(self.job.changed(tools=tools), merge)
