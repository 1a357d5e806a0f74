"""A program tried on its stock: what every bench gives the road for that."""

from __future__ import annotations

from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from bastler.core.verify.pictures import Picture
from bastler.core.verify.stock import Floats, Happened, Stock
from bastler.core.verify.verdict import Verdict


class LeftStock(NamedTuple):
    """The stock that the setup before left, and its volume, mm³."""

    stock: Stock
    volume: float


class Trial(Protocol):
    """The stock that a program cuts, the judge of it, and what only this kind of machine has to add."""

    @property
    def stock(self) -> Stock:
        """What is cut."""

    @property
    def judge(self) -> Verdict:
        """What is said of it."""

    @property
    def chunk(self) -> int:
        """Moves that are cut at one go."""

    def cut(self, now: Happened, low: int) -> None:
        """Judge moves ``low`` onwards right after they were cut."""

    def whole(self, happened: Happened) -> None:
        """Judge the whole program, once all is cut."""

    def load(self, happened: Happened, times: Floats) -> tuple[NDArray[np.float32], NDArray[np.float32] | None]:
        """Per move the share of the spindle's power, and how many degrees of a mill's round are in metal."""

    def picture(self) -> Picture:
        """The stock at the end, with its finished shape."""

    def without_threads(self, happened: Happened) -> Happened:
        """What happened, but for threads, which are marks."""

    def volumes(self, happened: Happened) -> tuple[float, float]:
        """Metal before and after, mm³."""
