"""Partitions on the move: how long until none are, from how their number fell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

FEWEST = 4
MOST_MINUTES = 15


@dataclass(frozen=True)
class TimeLeft:
    """Seconds until none are left, with a 95% interval; ``high`` is None where it may never end."""

    value: float
    low: float
    high: float | None


def time_left(times_us: NDArray[np.int64], moving: NDArray[np.float64]) -> TimeLeft | None:
    """From the last minutes of how many are on the move; None where none are, too little is known, or they do not become fewer.

    The slope is that of Theil and Sen (Sen 1968), which one odd minute does not move.
    """
    known = np.isfinite(moving)
    times, left = times_us[known][-MOST_MINUTES:], moving[known][-MOST_MINUTES:]
    if len(left) < FEWEST or left[-1] <= 0:
        return None
    from scipy.stats import theilslopes  # takes half a second, which only who looks at a cluster has to spend

    slope, _, low, high = theilslopes(left, (times - times[0]) / 1e6)
    if slope >= 0:
        return None
    now = float(left[-1])
    return TimeLeft(now / -slope, now / -low, now / -high if high < 0 else None)
