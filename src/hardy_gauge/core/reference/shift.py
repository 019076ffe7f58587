"""When a figure left its usual range: one change of level, found by least squares.

The split that leaves the least sum of squares around the two means (Hinkley 1970, maximum likelihood
for a change in the mean of normal data).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hardy_gauge.core.reference.usual_range import UsualRange

Array = NDArray[np.float64]
FEWEST = 3
RECENT = 5
LEAST_RATIO = 1.15


def change_point(values: Array, fewest: int = FEWEST) -> int | None:
    """Index of the first value of the second level, or None when there are too few values."""
    y = np.asarray(values, dtype=float)
    n = len(y)
    if n < 2 * fewest:
        return None
    k = np.arange(fewest, n - fewest + 1)
    sums = np.cumsum(y)
    before, after = sums[k - 1] / k, (sums[-1] - sums[k - 1]) / (n - k)
    gain = k * (n - k) / n * (after - before) ** 2
    return int(k[np.argmax(gain)])


@dataclass(frozen=True)
class Shift:
    """A figure that is out of its usual range now: since when, and how many times the usual."""

    since_us: int
    ratio: float
    direction: str


def current_shift(times_us: NDArray[np.int64], values: Array, usual: UsualRange, least: float = 0.0) -> Shift | None:
    """The shift that is on at the end of the series, or None when the last minutes lie in the band.

    The last five minutes must lie outside on average, by ``least`` in the figure's own unit, and the level since the
    change point of value ÷ usual must differ from the usual by 15% or more, and by ``least``: a narrow band is left
    often, and by little, and next to nothing three times over is still next to nothing.
    """
    if len(values) < 2 * RECENT:
        return None
    low, centre, high = usual.at(times_us)
    if not np.isfinite(centre).all() or (centre <= 0).any():
        return None
    recent = slice(-RECENT, None)
    now, above, below = values[recent].mean(), high[recent].mean(), low[recent].mean()
    if below - least <= now <= above + least:
        return None
    relative = np.log(np.maximum(values, 1e-6) / centre)
    at = change_point(relative)
    if at is None:
        return None
    ratio = float(values[at:].mean() / centre[at:].mean())
    if 1 / LEAST_RATIO < ratio < LEAST_RATIO or abs(values[at:].mean() - centre[at:].mean()) < least:
        return None
    return Shift(int(times_us[at]), ratio, "above" if now > above else "below")
