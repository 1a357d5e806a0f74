"""JSON Schema of the job file: the document's shape, and each cycle's fields from its declaration."""

from __future__ import annotations

import msgspec

from bastler.core.cycles import cycles
from bastler.core.cycles.surfacing import every_field
from bastler.core.data import Table
from bastler.core.fields import Field
from bastler.core.job.document import Job
from bastler.core.job.setupfields import SETUP_FIELDS
from bastler.core.planning.contours import CONTOUR_FIELDS
from bastler.core.quantities import Kind, unit_word
from bastler.core.tooling.kinds import KINDS
from bastler.core.tooling.machines import machines


def _values(fields: tuple[Field, ...]) -> Table:
    properties: Table = {}
    for f in fields:
        one: Table = {"type": "string", "title": f.label, "description": f.question}
        if f.kind in (Kind.CHOICE, Kind.FLAG):
            one["enum"] = [key for key, _ in f.choices] or ["yes", "no"]
        unit = unit_word(f.kind, "mm")
        if unit:
            one["x-unit"] = unit
        if f.default is not None:
            one["default"] = f.default
        properties[f.key] = one
    return {"type": "object", "properties": properties}


def job_schema() -> Table:
    """The schema, draft 2020-12, with one condition per cycle and per kind of tool."""
    schema = msgspec.json.schema(Job)
    schema["title"] = "Job"
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    defs = schema["$defs"]
    defs["Step"]["properties"]["cycle"]["enum"] = sorted(cycles())
    defs["Step"]["allOf"] = [
        {"if": {"properties": {"cycle": {"const": c.id}}}, "then": {"properties": {"values": _values(every_field(c))}}}
        for c in cycles().values()
    ]
    defs["ToolRecord"]["properties"]["kind"]["enum"] = sorted(KINDS)
    defs["ToolRecord"]["allOf"] = [
        {"if": {"properties": {"kind": {"const": k.id}}}, "then": {"properties": {"values": _values(k.fields)}}}
        for k in KINDS.values()
    ]
    defs["ContourRecord"]["properties"]["values"] = _values(CONTOUR_FIELDS)
    defs["Setup"]["allOf"] = [
        {
            "if": {
                "properties": {"machine": {"enum": [m.id for m in machines().values() if m.kind == kind]}},
                "required": ["machine"],
            },
            "then": {"properties": {"values": _values(fields)}},
        }
        for kind, fields in SETUP_FIELDS.items()
    ]
    return schema
