"""Margins of error of sampled time.

Sampling at a fixed interval is systematic sampling; its variance is estimated from successive
differences (K. M. Wolter, "An Investigation of Some Estimators of Variance for Systematic Sampling",
JASA 79, 1984, estimator v2): with n ticks and counts c, var(sum) = n / (2(n−1)) · Σ (cᵢ₊₁ − cᵢ)².
The interval is that of a Poisson count scaled by the dispersion so found, so that it stays above zero
and is right for rare events too (Garwood 1936 for the count).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import polars as pl
from numpy.typing import NDArray
from scipy.special import gammaincinv

Array = NDArray[np.float64]
FEWEST = 10


def with_margins(counts: pl.DataFrame, keys: Sequence[str], ticks: int, period_us: int) -> pl.DataFrame:
    """Sum samples by ``keys`` and add ``low``/``high``, a 95% interval of the sum.

    ``counts`` has one row per tick and key with a column ``n`` and ``at_us``; ``ticks`` is how many
    moments were looked at in all, empty ones included; columns out: keys, n, low, high.
    """
    if counts.is_empty():
        return pl.DataFrame(
            schema={**{k: pl.String for k in keys}, "n": pl.Int64, "low": pl.Float64, "high": pl.Float64}
        )
    by = list(keys)
    ordered = counts.sort([*by, "at_us"])
    next_n = pl.col("n").shift(-1).over(by)
    next_at = pl.col("at_us").shift(-1).over(by)
    beside = pl.when(next_at - pl.col("at_us") == period_us).then(pl.col("n") * next_n).otherwise(0)
    sums = (
        ordered.with_columns(beside.alias("beside"))
        .group_by(by)
        .agg(pl.col("n").sum(), (pl.col("n") ** 2).sum().alias("squares"), pl.col("beside").sum())
    )
    total = sums["n"].to_numpy().astype(float)
    variance = (sums["squares"].to_numpy() - sums["beside"].to_numpy()) * ticks / max(ticks - 1, 1)
    low, high = poisson_interval(total, variance)
    return sums.select(*by, "n").with_columns(pl.Series("low", low), pl.Series("high", high))


def poisson_interval(count: Array, variance: Array) -> tuple[Array, Array]:
    """95% interval of a count whose variance is ``variance``, by scaling an exact Poisson interval.

    With fewer than 10 seen the dispersion cannot be told, so it is taken as at least Poisson's.
    """
    count = np.asarray(count, dtype=float)
    dispersion = np.maximum(np.asarray(variance, dtype=float), 1e-9) / np.maximum(count, 1e-9)
    dispersion = np.where(count < FEWEST, np.maximum(dispersion, 1.0), np.maximum(dispersion, 0.02))
    scaled = count / dispersion
    low = np.where(count > 0, gammaincinv(np.maximum(scaled, 1e-12), 0.025), 0.0) * dispersion
    high = gammaincinv(scaled + 1, 0.975) * dispersion
    return low, high
