"""Two figures against each other: how far one follows the other, and after how long."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
FEWEST = 12
LEVEL = 1.96


@dataclass(frozen=True)
class LagCorrelation:
    """``at`` are lags in steps, positive where the second follows the first; ``r`` the correlation at each. ``best`` is the lag of the
    strongest one; ``noise`` what two unrelated series of this length and memory stay below 95 times of 100.
    """

    at: list[int]
    r: list[float]
    best: int
    strongest: float
    noise: float


def lag_correlation(first: Array, second: Array, most: int) -> LagCorrelation | None:
    """Cross-correlation of two series of one length, NaN where unknown, up to ``most`` steps either way; None where too few are known, or
    one does not vary.

    The noise limit takes into account that successive values depend on each other (Bartlett 1946: the variance of a cross-correlation
    of unrelated series is the sum of the products of their autocorrelations ÷ n).
    """
    both = np.isfinite(first) & np.isfinite(second)
    if both.sum() < FEWEST:
        return None
    a, b = (np.where(both, one, np.nan) for one in (first, second))
    a, b = a - np.nanmean(a), b - np.nanmean(b)
    spread = float(np.sqrt(np.nansum(a**2) * np.nansum(b**2)))
    if spread <= 1e-12:
        return None
    a, b = np.nan_to_num(a), np.nan_to_num(b)
    most = min(most, len(a) // 2)
    lags = list(range(-most, most + 1))
    r = [
        float(np.sum(a[: len(a) - lag] * b[lag:]) if lag >= 0 else np.sum(a[-lag:] * b[:lag])) / spread for lag in lags
    ]
    memory = sum(_own(a, k) * _own(b, k) for k in range(1, most + 1))
    noise = LEVEL * float(np.sqrt(max(1 + 2 * memory, 1.0) / both.sum()))
    best = int(np.argmax(np.abs(r)))
    return LagCorrelation(lags, r, lags[best], r[best], min(noise, 1.0))


def _own(values: Array, lag: int) -> float:
    return float(np.sum(values[:-lag] * values[lag:]) / np.sum(values**2))
