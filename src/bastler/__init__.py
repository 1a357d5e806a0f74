"""Bastler: part programs from feature cycles, drawn, checked and posted."""

__version__ = "0.1.0"
