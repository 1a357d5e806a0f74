"""The stock of a checked program at any moment, from the nearest state that was kept."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from bastler.core.gcode.motion import Motion
from bastler.core.verify.stock import State, Stock

if TYPE_CHECKING:
    from bastler.core.verify.pictures import State as Shown


@dataclass(frozen=True)
class Moments:
    """A stock with all its moves, and ``states`` of it by number of the next move."""

    stock: Stock
    motion: Motion
    states: dict[int, State]

    def at(self, move: int, share: float) -> Shown:
        """What is shown once ``share`` (0..1) of a move is done; the stock itself stays as it is at the end."""
        motion, stock = self.motion, self.stock
        move = min(max(move, 0), max(len(motion) - 1, 0))
        near = max(k for k in self.states if k <= move)
        final = stock.state()
        stock.restore(self.states[near])
        try:
            # With the move before: whether a tool leaves a thread is seen from where it comes.
            first = max(near - 1, 0)
            part = motion.run(first, move + 1)
            whole = len(part) - (1 if share <= 0.0 else 0)
            if share < 1.0 and len(part):
                part = replace(part, end=part.end.copy(), sweep=part.sweep.copy())
                part.end[-1] = motion.at(move, share)
                part.sweep[-1] *= share
            if whole > near - first:
                stock.cut(part, near - first, whole, first)
            return stock.shown()
        finally:
            stock.restore(final)
