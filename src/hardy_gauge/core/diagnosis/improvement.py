"""Is it better now? A series before a change against the same series after it, with the interval of their ratio.

Each side is cut into batches of successive minutes, whose means depend little on each other (batch means: Law 2015, ch. 9.5.3). The
difference of the two sides has the interval of Welch (1947) for unequal variances; the ratio is that difference over the mean before.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

Verdict = Literal["better", "a little better", "no difference shown", "worse"]
FEWEST = 5  # minutes on each side
BATCHES = 10
LEVEL = 0.95
TRIFLE = 0.02  # more or less than this is no difference that anyone would act on, however sure it is
CLEARLY = 0.75  # of what it was, at the upper end of the interval: less of it is left than anyone would overlook


@dataclass(frozen=True)
class AfterBefore:
    """Means before and after, and after ÷ before with its 95% interval."""

    before: float
    after: float
    ratio: float
    low: float
    high: float

    @property
    def verdict(self) -> Verdict:
        """Of a figure that is better when it is less."""
        if self.high <= CLEARLY:
            return "better"
        if self.high < 1 - TRIFLE:
            return "a little better"
        return "worse" if self.low > 1 + TRIFLE else "no difference shown"


def after_before(before: NDArray[np.float64], after: NDArray[np.float64], level: float = LEVEL) -> AfterBefore | None:
    """Figures of minutes on both sides, none below zero; None where a side has too few, or there was nothing before. ``level`` is that
    of the interval.
    """
    if min(len(before), len(after)) < FEWEST or before.mean() <= 0:
        return None
    was, now = _batched(before), _batched(after)
    parts = was.var(ddof=1) / len(was), now.var(ddof=1) / len(now)
    spread = sum(parts)
    half = 0.0
    if spread > 0:
        freedom = spread**2 / (parts[0] ** 2 / (len(was) - 1) + parts[1] ** 2 / (len(now) - 1))
        half = float(stdtrit(freedom, 0.5 + level / 2) * spread**0.5)
    mean, difference = float(before.mean()), float(after.mean() - before.mean())
    low, high = 1 + (difference - half) / mean, 1 + (difference + half) / mean
    return AfterBefore(mean, float(after.mean()), 1 + difference / mean, max(0.0, low), high)


def _batched(values: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.array([part.mean() for part in np.array_split(values, min(BATCHES, len(values)))])
