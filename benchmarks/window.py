"""The window on the demo: edit to drawing, edit to checked, and the longest stall of the UI thread.

Beside each stall stands how long the thread itself worked in its longest turn: on a machine that others share, the
difference was taken by them.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys

PROGRAM = """
import json, os, statistics, time
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from PyQt6.QtCore import QTimer
from bastler.core.demo import demo_job
from bastler.ui.application import application
app = application()
from bastler.ui.window import Window
window = Window(demo_job())
window.show()
app.processEvents()
s = window.session

def wait(done, limit=60):
    end = time.perf_counter() + limit
    while not done() and time.perf_counter() < end:
        app.processEvents()
        time.sleep(0.0005)

def checked():
    wait(lambda: not window.checker._timer.isActive() and s.checking is None and s.checked is not None)

checked()
s.select("left")
app.processEvents()
sheet = window.stations["Steps"].sheet
drawing, checking = [], []
for i in range(12):
    began = time.perf_counter()
    s.type_value("left", "length", str(50 + i))
    sheet.repaint()
    drawing.append(time.perf_counter() - began)
    checked()
    checking.append(time.perf_counter() - began)

gaps, work, last = {}, {}, [time.perf_counter(), time.thread_time()]
phase = ["edit"]
def beat():
    now, worked = time.perf_counter(), time.thread_time()
    gaps[phase[0]] = max(gaps.get(phase[0], 0.0), now - last[0])
    work[phase[0]] = max(work.get(phase[0], 0.0), worked - last[1])
    last[:] = now, worked
timer = QTimer()
timer.setInterval(0)
timer.timeout.connect(beat)
timer.start()

def spin(seconds):
    end = time.perf_counter() + seconds
    while time.perf_counter() < end:
        app.processEvents()

last[:] = time.perf_counter(), time.thread_time()
for i in range(10):
    s.type_value("left", "depth", str(8 + 0.3 * i))
    spin(0.15)
checked()
for word in ("Check", "Setup", "Code", "Steps"):
    phase[0] = f"first {word}"
    last[:] = time.perf_counter(), time.thread_time()
    window.show_station(word)
    spin(0.6)
window.show_station("Check")
spin(1.0)
phase[0] = "replay"
last[:] = time.perf_counter(), time.thread_time()
window.stations["Check"].play()
spin(4.0)
print(json.dumps({"drawing_ms": 1e3 * statistics.median(drawing), "drawing_worst_ms": 1e3 * max(drawing),
                  "checked_s": statistics.median(checking), "checked_worst_s": max(checking),
                  **{f"stall {k} ms": 1e3 * v for k, v in gaps.items()},
                  **{f"worked {k} ms": 1e3 * v for k, v in work.items()}}))
os._exit(0)
"""


def run() -> dict[str, float]:
    """Figures of one run in a process of its own."""
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", PROGRAM], capture_output=True, text=True, env=env, check=True)
    result: dict[str, float] = json.loads(done.stdout)
    return result


if __name__ == "__main__":
    print(run())
