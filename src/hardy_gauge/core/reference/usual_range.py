"""Usual range: the band in which a figure normally lies at this time of this day.

Minute figures are smoothed over a quarter of an hour and collected by quarter hour of the week, each with the quarter
before and after it: a job that starts or ends at a fixed time makes an edge, and near the edge both levels are usual.
The centre is the median; the band is the 5% to 95% quantile, widened to at least ±15% of the centre so that a very
steady figure is not called unusual for a trifle. Where the time of week was seen in fewer than three weeks, the same
time on other days of the same kind (weekday or weekend) is taken too.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
HOUR_US = 3_600_000_000
DAY_US = 24 * HOUR_US
WEEK_US = 7 * DAY_US
MONDAY_US = 4 * DAY_US  # 1970-01-05 was a Monday
SMOOTH_MINUTES = 15
QUARTER_US = HOUR_US // 4
QUARTERS = 672
OF_DAY = 96
FEWEST_WEEKS = 3
FEWEST_VALUES = 30
LEAST_WIDTH = 0.15


@dataclass(frozen=True)
class UsualRange:
    """Arrays of 672 quarter hours of the week (Monday 00:00 UTC first): low, centre, high; NaN where nothing is known."""

    low: Array
    centre: Array
    high: Array
    weeks: float

    def at(self, times_us: NDArray[np.int64]) -> tuple[Array, Array, Array]:
        """Low, centre, high at each time, interpolated between the middles of the quarter hours."""
        place = (np.asarray(times_us) - MONDAY_US) % WEEK_US / QUARTER_US - 0.5
        left = np.floor(place).astype(int) % QUARTERS
        part = place - np.floor(place)
        right = (left + 1) % QUARTERS

        def between(a: Array) -> Array:
            return np.asarray(a[left] * (1 - part) + a[right] * part)

        return between(self.low), between(self.centre), between(self.high)


def usual_range(times_us: NDArray[np.int64], values: Array) -> UsualRange:
    """The usual range of minute figures; ``times_us`` ascending, both of shape (n,)."""
    quarter = ((np.asarray(times_us) - MONDAY_US) % WEEK_US // QUARTER_US).astype(int)
    smooth = _smooth(np.asarray(values, dtype=float))
    order = np.argsort(quarter, kind="stable")
    edges = np.searchsorted(quarter[order], np.arange(QUARTERS + 1))
    grouped = smooth[order]
    groups = [grouped[a:b] for a, b in itertools.pairwise(edges)]
    around = [np.concatenate([groups[q - 1], groups[q], groups[(q + 1) % QUARTERS]]) for q in range(QUARTERS)]
    low, centre, high = (np.full(QUARTERS, np.nan) for _ in range(3))
    for q in range(QUARTERS):
        mine = around[q]
        if len(mine) < FEWEST_WEEKS * 41:
            day, of_day = divmod(q, OF_DAY)
            alike = range(5) if day < 5 else range(5, 7)
            mine = np.concatenate([around[d * OF_DAY + of_day] for d in alike])
        if len(mine) >= FEWEST_VALUES:
            ranked = np.sort(mine)
            low[q], centre[q], high[q] = (_quantile(ranked, share) for share in (0.05, 0.5, 0.95))
    low = np.minimum(low, centre * (1 - LEAST_WIDTH))
    high = np.maximum(high, centre * (1 + LEAST_WIDTH))
    span = float(times_us[-1] - times_us[0]) if len(times_us) else 0.0
    return UsualRange(low, centre, high, span / WEEK_US)


def _quantile(ranked: Array, share: float) -> float:
    """Quantile of ascending values, between neighbours by their distance."""
    at = share * (len(ranked) - 1)
    below = int(at)
    above = min(below + 1, len(ranked) - 1)
    return float(ranked[below] + (at - below) * (ranked[above] - ranked[below]))


def _smooth(values: Array) -> Array:
    if len(values) < SMOOTH_MINUTES:
        return values
    total = np.cumsum(np.insert(values, 0, 0.0))
    middle = (total[SMOOTH_MINUTES:] - total[:-SMOOTH_MINUTES]) / SMOOTH_MINUTES
    return np.pad(middle, (SMOOTH_MINUTES // 2, SMOOTH_MINUTES - 1 - SMOOTH_MINUTES // 2), mode="edge")


def word(value: float, low: float, high: float) -> str:
    """The word beside a gauge."""
    if not np.isfinite(low) or not np.isfinite(high):
        return "no usual range yet"
    if value > high:
        return "above usual"
    return "below usual" if value < low else "usual"
