"""Too deep and too wide is told however the text cuts the way into lines; a corner passed in a moment is not."""

from __future__ import annotations

import pytest

from bastler.core.engine import Engine
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.jobs import plate

DIAMETER = 10.0


def findings(pieces: int, wide: float) -> list[str]:
    """Of end mill T2 once along the block's front, 18 deep, in so many lines."""
    job = plate(over_top="0")
    block = plan(job).frame.block
    y, low, high = block.y0 + wide - DIAMETER / 2, block.x0 - 10, block.x1 + 10
    cuts = [f"G1 X{low + (high - low) * (k + 1) / pieces:.3f} F300" for k in range(pieces)]
    lines = ["T2 M6", f"G43 H2 G0 X{low:.3f} Y{y:.3f} Z5.", "S2000 M3", "Z-18.", *cuts, "G0 Z50.", "M30", ""]
    return [f.kind for f in Engine().check(Request(job, text="\n".join(lines).encode(), cell=0.5)).findings]


@pytest.mark.parametrize("pieces", [1, 7, 60, 400])
def test_lines_don_t_hide_depth(pieces: int) -> None:
    assert "depth-of-cut" in findings(pieces, 8.0)
    assert "depth-of-cut" not in findings(pieces, 0.3)
