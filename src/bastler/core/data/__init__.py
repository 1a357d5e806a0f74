"""Shipped tables: machines, materials, sample tools, demo jobs."""

from pathlib import Path

DATA = Path(__file__).parent
