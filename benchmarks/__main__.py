"""``make bench``: every figure that has a bar, beside its bar."""

from __future__ import annotations

import time

from benchmarks import contours, demos, dexels, evenload, interpreter, kernel, paths, startup, turning, window

BARS = {
    "kernel": {"ratio": "<= 1.5 x C", "exponent": "<= 1.05"},
    "dexels": {"ratio": "<= 3 x height field", "exponent": "<= 1.05", "hub_s": "<= 2", "hub_peak_mb": "< 400"},
    "interpreter": {"lines_per_s": ">= 150 000", "million_peak_gb": "< 1"},
    "demos": {"pressure-plate_s": "<= 1", "frame-foot-inch_s": "<= 3", "foot-pad_s": "<= 3", "exponent": "<= 1.05"},
    "contours": {
        "solve_40_ms": "<= 50",
        "edit_40_ms": "<= 15",
        "solve_400_ms": "<= 500",
        "exponent": "about 1",
        "hopeless_s": "<= 2",
        "pocket_ms": "<= 300",
        "pocket_area_off_percent": "<= 0.1",
    },
    "turning": {"plan_ms": "<= 150", "check_ms": "<= 500", "check_20000_s": "<= 3", "exponent": "about 1"},
    "window": {"drawing_ms": "<= 50", "checked_s": "<= 1"},
    "startup": {"ratio": "< 3"},
    "evenload": {"worst_degrees_above": "<= 5", "areas_above_5": "0", "planning_ms_worst": "<= 300 for a pocket"},
    "paths": {},
}


def pace() -> float:
    """Milliseconds of a million additions: 48 where the machine was quiet, twice that where others had half of it."""
    began, total = time.perf_counter(), 0
    for i in range(1_000_000):
        total += i
    return 1000 * (time.perf_counter() - began)


def main() -> None:
    """Run all and print a table, with the machine's pace before and after each part."""
    for name, module in (
        ("kernel", kernel),
        ("dexels", dexels),
        ("interpreter", interpreter),
        ("demos", demos),
        ("contours", contours),
        ("turning", turning),
        ("window", window),
        ("startup", startup),
        ("evenload", evenload),
        ("paths", paths),
    ):
        before = pace()
        found = module.run()
        print(f"{name:12} {'(pace of the machine, ms)':28} {before:14,.0f}   {pace():.0f} afterwards", flush=True)
        for key, value in found.items():
            bar = BARS[name].get(key, "<= 100" if key.startswith("stall") else "")
            print(f"{name:12} {key:28} {value:14,.3f}   {bar}", flush=True)


if __name__ == "__main__":
    main()
