"""Cycles of a lathe, one file each; see :mod:`bastler.core.cycles.base`."""
