"""When a volume fills: a straight line through its recorded use (Theil–Sen slope, robust to single jumps)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

DAY_US = 86_400_000_000
MOST_POINTS = 400


def days_until_full(
    times_us: NDArray[np.int64], used_bytes: NDArray[np.float64], capacity_bytes: float
) -> float | None:
    """Days from the last reading until ``capacity_bytes``; None when use does not grow or is too short (an hour)."""
    if len(times_us) < 10 or times_us[-1] - times_us[0] < DAY_US / 24:
        return None
    from scipy.stats import theilslopes  # takes half a second, which no command has to spend that asks for no volume

    pick = np.linspace(0, len(times_us) - 1, min(len(times_us), MOST_POINTS)).astype(int)
    days = (times_us[pick] - times_us[-1]) / DAY_US
    slope = float(theilslopes(used_bytes[pick], days).slope)
    if slope <= 0:
        return None
    return max(0.0, (capacity_bytes - float(used_bytes[-1])) / slope)
