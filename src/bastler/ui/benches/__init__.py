"""How each kind of machine is seen in the window: one object a kind, beside the one in :mod:`bastler.core.benches`."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from importlib import import_module

from bastler.core.plans.plan import Plan
from bastler.ui.benches.windowbench import WindowBench

__all__ = ["WindowBench", "window_bench"]
PLACES: Mapping[str, str] = {"mill": "millwindow.MillWindow", "lathe": "lathewindow.LatheWindow"}
"""By kind of machine; loaded when the first job of the kind is seen."""


@cache
def _bench(kind: str) -> WindowBench:
    module, _, name = PLACES[kind].partition(".")
    made: WindowBench = getattr(import_module(f"{__name__}.{module}"), name)()
    return made


def window_bench(plan: Plan) -> WindowBench:
    """The bench that a setup is drawn by."""
    return _bench(plan.frame.machine.kind)
