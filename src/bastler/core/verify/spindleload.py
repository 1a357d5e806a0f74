"""What a cut asks of the spindle: power move by move, from the metal that really went.

P = Q k_c / 60e6 / η with Q mm³/min and k_c = k_c1.1 h^-m_c (Kienzle). The mean chip h is taken as 0.7 of the feed per
tooth: the share that a cut of half the tool's width has.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from bastler.core.gcode.motion import Motion
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material
from bastler.core.tooling.power import EFFICIENCY, THINNEST_CHIP_MM, available
from bastler.core.tooling.tools import Tool

CHIP_SHARE = 0.7
LEAST_WAY_MM = 0.01


def in_metal(
    motion: Motion, removed: NDArray[np.float64], deepest: NDArray[np.float64], tools: Mapping[int, Tool]
) -> NDArray[np.float32]:
    """Per move how many degrees of a mill's round are in metal, on the whole of the move: cos φ = 1 - 2 a_e / D, a_e from the metal that went; 0 straight down.

    ``removed`` mm³, ``deepest`` mm.
    """
    across = motion.end[:, :2] - motion.start[:, :2]
    flat = np.where((np.hypot(*across.T) > LEAST_WAY_MM) | (motion.sweep != 0), motion.lengths(), 0.0)
    width = np.divide(removed, deepest * flat, out=np.zeros(len(motion)), where=deepest * flat > 1e-9)
    diameter = np.ones(len(motion))
    for number, tool in tools.items():
        diameter[motion.tool == number] = tool.diameter
    return np.asarray(np.degrees(np.arccos(np.clip(1 - 2 * width / diameter, -1.0, 1.0))), np.float32)


def power_shares(
    motion: Motion,
    seconds: NDArray[np.float64],
    removed: NDArray[np.float64],
    tools: Mapping[int, Tool],
    material: Material,
    machine: Machine,
) -> NDArray[np.float32]:
    """Per move the share of the spindle's power at its speed; ``removed`` mm³, ``seconds`` per move."""
    rate = np.divide(removed, seconds / 60.0, out=np.zeros(len(motion)), where=seconds > 1e-9)
    edges = np.ones(len(motion))
    for number, tool in tools.items():
        edges[motion.tool == number] = max(tool.flutes, 1)
    turns = np.maximum(motion.speed, 1.0)
    chip = np.maximum(CHIP_SHARE * motion.feed / (turns * edges), THINNEST_CHIP_MM)
    need = rate * material.kc11 * chip**-material.mc / 60e6 / EFFICIENCY
    speeds, at = np.unique(motion.speed, return_inverse=True)
    has = np.array([available(machine, float(n)) if n > 0 else np.inf for n in speeds])
    return np.asarray(need / np.maximum(has[at], 1e-9), np.float32)
