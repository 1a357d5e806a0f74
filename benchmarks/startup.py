"""Window with the demo job usable, against a bare PyQt6 window; both as fresh processes in the same run."""

from __future__ import annotations

import compileall
import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

import bastler

BARE = """
import sys
import PyQt6.QtWidgets as w
app = w.QApplication([])
window = w.QMainWindow()
window.resize(1280, 800)
window.show()
app.processEvents()
sys.stdout.write("up")
sys.stdout.flush()
"""
OURS = """
import os, sys
from bastler.ui.app import application, start
window = start("--demo")
application().processEvents()
assert window.stations["Steps"].form.rows["level"].editor.widget.isEnabled()
sys.stdout.write("up")
sys.stdout.flush()
os._exit(0)
"""
RUNS = 9


def once(program: str) -> float:
    """Seconds from starting a process to its word that the window is usable."""
    began = time.perf_counter()
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    with subprocess.Popen([sys.executable, "-c", program], stdout=subprocess.PIPE, env=env) as process:
        assert process.stdout is not None
        assert process.stdout.read(2) == b"up"
        return time.perf_counter() - began


def run() -> dict[str, float]:
    """Medians and their ratio; runs alternate so that both see the same machine."""
    compileall.compile_dir(Path(bastler.__file__).parent, quiet=2)
    once(BARE), once(OURS)
    pairs = [(once(BARE), once(OURS)) for _ in range(RUNS)]
    bare, ours = (statistics.median(p[i] for p in pairs) for i in (0, 1))
    return {"bare_s": bare, "bastler_s": ours, "ratio": ours / bare}


if __name__ == "__main__":
    print(run())
