"""The job's tool table as tools."""

from __future__ import annotations

from collections.abc import Mapping

from bastler.core.fields import Answers
from bastler.core.job.document import Job
from bastler.core.tooling.kinds import read_tool
from bastler.core.tooling.tools import Tool


def read_tools(job: Job) -> tuple[Mapping[int, Tool], tuple[Answers, ...]]:
    """Usable tools by number, and the answers of each line of the table."""
    usable: dict[int, Tool] = {}
    answers = []
    taken: tuple[int, ...] = ()
    for record in job.tools:
        tool, found = read_tool(record.number, record.kind, record.name, record.values, job.units, taken)
        taken += (record.number,)
        answers.append(found)
        if tool is not None:
            usable[tool.number] = tool
    return usable, tuple(answers)
