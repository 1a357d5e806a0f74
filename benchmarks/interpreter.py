"""Lines per second on linear moves, and the memory of a check of a million lines."""

from __future__ import annotations

import json
import subprocess
import sys
import time

from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret

LINES = 500_000
HEAD = b"G21 G90 G94\nT2 M6\nG43 H2 Z5.\nS3000 M3\nG1 F900\n"


def program(lines: int) -> bytes:
    """Linear moves over the top of the demo block, as a scan would make them."""
    rows = (
        b"N%d G1 X%.3f Y%.3f Z%.3f\n" % (i, i * 0.31 % 200, i * 0.0007 % 120, -0.5 - (i % 50) * 0.01)
        for i in range(lines)
    )
    return HEAD + b"".join(rows) + b"M30\n"


MILLION = """
import resource, json, time, sys
from benchmarks.interpreter import program
from bastler.core.demo import demo_job
from bastler.core.engine import Engine
from bastler.core.request import Request
text = program(1_000_000)
began = time.perf_counter()
checked = Engine().check(Request(demo_job(), text=text, name="million.nc"))
seconds = time.perf_counter() - began
print(json.dumps({"million_s": seconds, "million_moves": len(checked.motion),
                  "million_peak_gb": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6}))
"""


def run() -> dict[str, float]:
    """Speed of reading, and time and peak memory of a million-line check in a process of its own."""
    text = program(LINES)
    interpret(text[:2000], Control())
    best = 0.0
    for _ in range(3):
        began = time.perf_counter()
        result = interpret(text, Control(with_job=False))
        best = max(best, result.lines / (time.perf_counter() - began))
    done = subprocess.run([sys.executable, "-c", MILLION], capture_output=True, text=True, check=True)
    return {"lines_per_s": best, **json.loads(done.stdout)}


if __name__ == "__main__":
    print(run())
