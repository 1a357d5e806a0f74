"""``make bench``: every figure that has a bar, beside its bar."""

from __future__ import annotations

from benchmarks import interpreter, kernel, startup, window

BARS = {
    "kernel": {"ratio": "<= 1.5 x C", "exponent": "<= 1.05"},
    "interpreter": {"lines_per_s": ">= 150 000", "million_peak_gb": "< 1"},
    "window": {"drawing_ms": "<= 50", "checked_s": "<= 1"},
    "startup": {"ratio": "< 3"},
}


def main() -> None:
    """Run all and print a table."""
    for name, module in (("kernel", kernel), ("interpreter", interpreter), ("window", window), ("startup", startup)):
        for key, value in module.run().items():
            bar = BARS[name].get(key, "<= 100" if key.startswith("stall") else "")
            print(f"{name:12} {key:28} {value:14,.3f}   {bar}", flush=True)


if __name__ == "__main__":
    main()
