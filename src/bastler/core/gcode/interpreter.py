"""The interpreter: G-code words → motion, with findings; what the control will really do.

Nothing stops the whole: what can't be understood becomes a finding at its line.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Mapping

import numpy as np
from msgspec import structs

from bastler.core.gcode.control import (
    Control,
    Interpreted,
)
from bastler.core.gcode.latheinterpreter import LatheInterpreter
from bastler.core.gcode.lexer import plain_lines
from bastler.core.gcode.millinterpreter import MillInterpreter
from bastler.core.gcode.unroll import Flat, Lookup, needs_unrolling, unroll
from bastler.core.post.codes import codes

READERS: Mapping[str, type[MillInterpreter | LatheInterpreter]] = {"mill": MillInterpreter, "lathe": LatheInterpreter}
"""By the kind of machine that a table of codes is for."""


def interpret(
    data: bytes,
    control: Control,
    name: str = "The program",
    progress: Callable[[float], None] | None = None,
    lookup: Lookup = lambda _: None,
) -> Interpreted:
    """Motion of a program text; ``lookup`` finds subprograms that lie beside it. Raises :class:`bastler.core.problems.Unusable` only for what is no text."""
    reader = READERS[codes(control.reading).machine]
    data = plain_lines(data)
    if b"\0" not in data and needs_unrolling(data):
        flat = unroll(data, lookup, progress)
        return _on_source(reader(flat.data, control, name).run(progress), flat, data)
    return reader(data, control, name).run(progress)


def _on_source(read: Interpreted, flat: Flat, data: bytes) -> Interpreted:
    """Lines of the flat text as lines of the program that it came from."""
    source = np.array([0, *flat.source, flat.source[-1] if flat.source else 0], np.int32)
    events = tuple(structs.replace(e, line=int(source[min(e.line, len(source) - 1)])) for e in read.events)
    motion = dataclasses.replace(read.motion, line=source[np.minimum(read.motion.line, len(source) - 1)])
    told = [structs.replace(f, line=int(source[min(f.line, len(source) - 1)])) if f.line else f for f in read.findings]
    return Interpreted(
        motion, (*told, *flat.findings), data.count(b"\n") + (not data.endswith(b"\n")), read.units, events
    )
