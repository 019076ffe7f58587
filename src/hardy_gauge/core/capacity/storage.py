"""When a volume fills: a straight line through its recorded use (Theil–Sen slope, robust to single jumps), with a band.

The band is a 95% prediction interval: what is used grows by a different amount each day, so the growth of the days to come differs
from the one that was seen by s·√(1/n + 1/D), with s the standard deviation of n daily steps and D the days until it is full (the
interval of a mean of new observations, as in any text on regression). Daily steps are taken from the same time of day, so that a
rhythm within the day counts for nothing.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from hardy_gauge.core.figures.theil_sen import theil_slope

DAY_US = 86_400_000_000
MOST_POINTS = 400
FEWEST_DAYS = 4
ERROR = 0.05


@dataclass(frozen=True)
class FillForecast:
    """Days from the last reading until the volume is full, with a 95% band; ``soonest`` is None where fewer than four days are known,
    ``latest`` also where it may never fill.
    """

    days: float
    soonest: float | None
    latest: float | None


def fill_forecast(
    times_us: NDArray[np.int64], used_bytes: NDArray[np.float64], capacity_bytes: float
) -> FillForecast | None:
    """None when use does not grow or is known for less than an hour."""
    if len(times_us) < 10 or times_us[-1] - times_us[0] < DAY_US / 24:
        return None
    pick = np.linspace(0, len(times_us) - 1, min(len(times_us), MOST_POINTS)).astype(int)
    ago = (times_us - times_us[-1]) / DAY_US
    slope = theil_slope(used_bytes[pick], ago[pick])
    if slope <= 0:
        return None
    room = max(0.0, capacity_bytes - float(used_bytes[-1]))
    days = room / slope
    steps = np.diff(np.interp(np.arange(-int(-ago[0]), 1), ago, used_bytes))
    if len(steps) < FEWEST_DAYS:
        return FillForecast(days, None, None)
    spread = float(np.std(steps, ddof=1)) * np.sqrt(1 / len(steps) + 1 / max(days, 1.0))
    half = float(stdtrit(len(steps) - 1, 1 - ERROR / 2)) * spread
    return FillForecast(days, room / (slope + half), room / (slope - half) if slope > half else None)
