"""Cycles for any machine, one file each; see :mod:`bastler.core.cycles.base`."""
