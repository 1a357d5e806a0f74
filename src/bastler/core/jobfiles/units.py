"""A job in other units: the numbers keep their value, or the sizes stay what they are.

Nothing is converted silently; the person chooses. Plain numbers are converted, expressions are put in
brackets with their unit behind, so what was typed stays readable.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping

from bastler.core.cycles import cycles
from bastler.core.cycles.surfacing import every_field
from bastler.core.fields import Field
from bastler.core.geometry.contour.facts import ANGLES
from bastler.core.job.document import ContourRecord, Job, PatternRecord, Setup, Step, ToolRecord
from bastler.core.job.setupfields import setup_fields
from bastler.core.planning.contours import CONTOUR_FIELDS
from bastler.core.planning.patterns import NAMED_FIELDS
from bastler.core.problems import Unusable
from bastler.core.quantities import Kind, Units, in_job_units, scale, typed_points
from bastler.core.tooling.kinds import KINDS

DIGITS = 5
_PLAIN = re.compile(r"[-+]?(\d+\.?\d*|\.\d+)\Z")
_WITH_UNIT = re.compile(r"[-+]?(\d+\.?\d*|\.\d+)\s*(mm|in)\Z")
_CYLINDERS = re.compile(r"([x×;])")


def in_units(job: Job, units: Units, *, keep_size: bool) -> Job:
    """The job in ``units``; ``keep_size`` converts every typed length, otherwise numbers stay as they are."""
    if units == job.units:
        return job
    if not keep_size:
        same: Job = job.changed(units=units)
        return same

    def values(typed: Mapping[str, str], fields: tuple[Field, ...]) -> dict[str, str]:
        kinds = {f.key: f.kind for f in fields}
        return {k: _text(t, kinds.get(k, Kind.TEXT), job.units, units) for k, t in typed.items()}

    def step(s: Step) -> Step:
        changed: Step = s.changed(values=values(s.values, every_field(cycles()[s.cycle])))
        return changed

    def setup(s: Setup) -> Setup:
        changed: Setup = s.changed(values=values(s.values, setup_fields(s)), steps=tuple(step(one) for one in s.steps))
        return changed

    def pattern(p: PatternRecord) -> PatternRecord:
        changed: PatternRecord = p.changed(values=values(p.values, NAMED_FIELDS))
        return changed

    def contour(c: ContourRecord) -> ContourRecord:
        def facts(typed: Mapping[str, str]) -> dict[str, str]:
            return {k: _text(t, Kind.ANGLE if k in ANGLES else Kind.LENGTH, job.units, units) for k, t in typed.items()}

        elements = tuple(e.changed(facts=facts(e.facts)) for e in c.elements)
        changed: ContourRecord = c.changed(values=values(c.values, CONTOUR_FIELDS), elements=elements)
        return changed

    result: Job = job.changed(
        units=units,
        tools=tuple(tool_in_units(t, job.units, units) for t in job.tools),
        patterns=tuple(map(pattern, job.patterns)),
        contours=tuple(map(contour, job.contours)),
        setups=tuple(map(setup, job.setups)),
    )
    return result


def tool_in_units(tool: ToolRecord, old: Units, new: Units) -> ToolRecord:
    """A tool of the same size, typed in other units."""
    kinds = {f.key: f.kind for f in KINDS[tool.kind].fields} if tool.kind in KINDS else {}
    values = {k: _text(t, kinds.get(k, Kind.TEXT), old, new) for k, t in tool.values.items()}
    converted: ToolRecord = tool.changed(values=values)
    return converted


def _text(text: str, kind: Kind, old: Units, new: Units) -> str:
    factor = scale(kind, old) / scale(kind, new)
    length = scale(Kind.LENGTH, old) / scale(Kind.LENGTH, new)
    if kind is Kind.POINTS:
        return _points(text, length, old)
    if kind is Kind.CYLINDERS:
        return "".join(_piece(p, lambda t: _one(t, length, old)) for p in _CYLINDERS.split(text))
    return _one(text, factor, old) if factor != 1.0 else text


def _points(text: str, factor: float, old: Units) -> str:
    """Points with their lengths in other units; angles, and a point that can't be read, stay."""
    return ";".join(_point(part, factor, old) for part in text.split(";"))


def _point(text: str, factor: float, old: Units) -> str:
    blank = text[: len(text) - len(text.lstrip())]
    try:
        points = list(typed_points(text))
    except Unusable:
        return text
    told = [(_one(p.first, factor, old), p.second if p.polar else _one(p.second, factor, old), p.polar) for p in points]
    return "".join(
        f"{blank}{first} at {second}" if polar else f"{blank}{first}, {second}" for first, second, polar in told
    )


def _piece(text: str, convert: Callable[[str], str]) -> str:
    """A number between separators, its blanks kept."""
    core = text.strip()
    return text if not core or core in ";x×" else text.replace(core, convert(core), 1)


def _one(text: str, factor: float, old: Units) -> str:
    core = text.strip()
    if _PLAIN.match(core):
        return f"{float(core) * factor:.{DIGITS}f}".rstrip("0").rstrip(".")
    if _WITH_UNIT.match(core):
        return text
    core = in_job_units(core, old)
    return f"({core}){'mm' if old == 'mm' else 'in'}" if core else text
