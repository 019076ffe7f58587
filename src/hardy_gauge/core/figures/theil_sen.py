"""The slope of a line through points of which some may be far off."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def theil_slope(values: NDArray[np.float64], at: NDArray[np.float64]) -> float:
    """The median of the slopes between any two points (Theil 1950; Sen, JASA 63, 1968). At least two of ``at`` differ."""
    apart, change = at[:, None] - at, values[:, None] - values
    later = apart > 0
    return float(np.median(change[later] / apart[later]))
