"""Looking after every block, without more false alarms than looking once: the boundary of O'Brien and Fleming ("A multiple testing
procedure for clinical trials", Biometrics 35, 1979), which asks for much at first and for nearly the usual at the last look.

Its height is found by simulation of what is looked at here, Student's t of the blocks so far, so that it also holds for few blocks.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np
from scipy.special import ndtr, ndtri, stdtr, stdtrit

FIRST = 3  # blocks before the first look: of two nothing can be said
ALPHA, DRAWS = 0.05, 100_000
Answer = Literal["a difference is shown", "as precise as was asked for", "the most blocks were run"]


@dataclass(frozen=True)
class Look:
    """A ratio with an interval that holds at every look together in 95 of 100 trials; ``answer`` is empty while more blocks are needed."""

    ratio: float
    low: float
    high: float
    blocks: int
    level: float
    answer: Answer | Literal[""]

    @property
    def shown(self) -> bool:
        """Whether the interval leaves "the same" out."""
        return self.low > 1 or self.high < 1


@cache
def height(most: int) -> float:
    """Of the boundary for looks after every block from the third to ``most``."""
    draw = np.random.default_rng(20_260_101)
    values = draw.standard_normal((DRAWS, most))
    count = np.arange(1, most + 1)
    sums, squares = values.cumsum(axis=1), (values**2).cumsum(axis=1)
    highest = np.zeros(DRAWS)
    for k in range(FIRST, most + 1):
        mean = sums[:, k - 1] / k
        spread = np.sqrt(np.maximum(squares[:, k - 1] - k * mean**2, 1e-300) / (k - 1))
        two_sided = 2 * stdtr(k - 1, -np.abs(mean) / (spread / np.sqrt(k)))
        z = -ndtri(np.clip(two_sided / 2, 1e-300, 0.5))
        np.maximum(highest, z * np.sqrt(count[k - 1] / most), out=highest)
    return float(np.quantile(highest, 1 - ALPHA))


def level_of(look: int, most: int) -> float:
    """The level of the interval at a look, so that all looks together keep 95%."""
    return float(1 - 2 * ndtr(-height(most) * np.sqrt(most / look)))


def look_at(control: Sequence[float], candidate: Sequence[float], most: int, precise: float) -> Look | None:
    """After so many blocks; None before the third. ``precise``: an interval no wider than this share to either side is enough."""
    blocks = len(control)
    if blocks < FIRST:
        return None
    logs = np.log(np.asarray(candidate, float)) - np.log(np.asarray(control, float))
    level, mean = level_of(min(blocks, most), most), float(logs.mean())
    half = float(stdtrit(blocks - 1, 0.5 + level / 2) * logs.std(ddof=1) / np.sqrt(blocks))
    low, high = np.exp([mean - half, mean + half])
    answer: Answer | Literal[""] = ""
    if low > 1 or high < 1:
        answer = "a difference is shown"
    elif half <= np.log1p(precise):
        answer = "as precise as was asked for"
    elif blocks >= most:
        answer = "the most blocks were run"
    return Look(float(np.exp(mean)), float(low), float(high), blocks, level, answer)
