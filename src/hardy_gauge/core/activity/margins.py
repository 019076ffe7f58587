"""Margins of error of sampled time.

Sampling at a fixed interval is systematic sampling; its variance is estimated from successive
differences (K. M. Wolter, "An Investigation of Some Estimators of Variance for Systematic Sampling",
JASA 79, 1984, estimator v2): with n ticks and counts c, var(sum) = n / (2(n−1)) · Σ (cᵢ₊₁ − cᵢ)².
The interval is that of a Poisson count scaled by the dispersion so found, so that it stays above zero
and is right for rare events too (Garwood 1936 for the count).

Where only one session in m was followed, the sessions are a sample too (Poisson sampling with probability 1/m; Särndal,
Swensson and Wretman, "Model Assisted Survey Sampling", 1992, section 3.5): with yₛ samples of session s the variance
grows by m²(1 − 1/m) · Σ yₛ(yₛ − 1). Of yₛ² the pairs of different samples count; what a sample has in common with
itself is chance of the times looked at, which is counted above.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import polars as pl
from numpy.typing import NDArray
from scipy.special import gammaincinv

Array = NDArray[np.float64]
Ints = NDArray[Any]  # of 32 or 64 bits
FEWEST = 10
MANY = 200_000  # rows
NULL = -(2**62)
WIDEST = 2**24  # numbers between the least and the greatest, for a table of them
SMALL = 2**31


def with_margins(samples: pl.DataFrame, keys: Sequence[str], ticks: int, period_us: int) -> pl.DataFrame:
    """Add up samples by ``keys``, with ``low``/``high``, a 95% interval of the sum.

    ``samples`` has one row per session seen, with ``at_us``, and ``weight`` where a sample stands for more than one
    period; ``ticks`` is how many periods there were in all, empty ones included. With ``one_in`` (whole, part of the
    weight) and ``session`` where not every session was followed. Columns out: keys, samples (rows), n (their weights'
    sum), low, high. Samples of one weight are one sample of the times at which they were taken; the variances of
    several weights add up.
    """
    by = list(keys)
    weighted = "weight" in samples.columns
    total_of = pl.col("weight").sum() if weighted else pl.len().cast(pl.Float64)
    counted = samples.lazy().group_by(by).agg(pl.len().cast(pl.Int64).alias("samples"), total_of.alias("n"))
    # the streaming engine is the faster one for many rows, and slow to begin
    accounts = counted.collect(engine="streaming" if len(samples) > MANY else "in-memory")
    if samples.is_empty():
        return accounts.with_columns(pl.lit(0.0).alias("low"), pl.lit(0.0).alias("high"))
    variance = np.zeros(len(accounts))
    for weight, one_in, alike in _classes(samples):
        code, codes = _codes(alike, accounts, by)
        spacing = weight / one_in
        tick = alike["at_us"].to_numpy() // int(period_us * spacing)
        squares, beside = _products(code, tick, len(accounts))
        taken = max(ticks / spacing, 2)
        variance += (squares - beside)[codes] * taken / (taken - 1) * weight**2
        if one_in > 1:
            pairs, _ = _products(code, alike["session"].rank("dense").to_numpy().astype(np.int64), len(accounts))
            own = np.bincount(code, minlength=len(accounts))
            variance += (pairs - own)[codes] * weight**2 * (1 - 1 / one_in)
    seen, total = (accounts[name].to_numpy().astype(float) for name in ("samples", "n"))
    low, high = poisson_interval(total, variance, seen)
    return accounts.with_columns(pl.Series("low", low), pl.Series("high", high))


def _classes(samples: pl.DataFrame) -> list[tuple[float, int, pl.DataFrame]]:
    """Samples that stand for the same time in the same way: their weight, of how many sessions one was followed."""
    if "weight" not in samples.columns:
        return [(1.0, 1, samples)]
    if "one_in" not in samples.columns:
        return [(float(key[0]), 1, alike) for key, alike in samples.group_by("weight")]
    return [(float(key[0]), int(key[1]), alike) for key, alike in samples.group_by("weight", "one_in")]


def _codes(samples: pl.DataFrame, accounts: pl.DataFrame, by: list[str]) -> tuple[Ints, Ints]:
    """A small whole number for every sample's account, and for every row of ``accounts``, which may be of more."""
    radix, mine, size = np.zeros(1, dtype=np.int32), np.zeros(1, dtype=np.int32), 1
    for key in by:
        known, found, count = _places(*_numbers(accounts[key], samples[key]))
        size *= count
        radix, mine = (a.astype(_width(size), copy=False) * count + b for a, b in ((radix, found), (mine, known)))
    known, found, _ = _places(mine, radix)
    return found, known


def _numbers(accounts: pl.Series, samples: pl.Series) -> tuple[Ints, Ints]:
    """A whole number for each value, the same for it in both: its own, or the place of its text in a list."""
    if not accounts.dtype.is_integer():
        if accounts.dtype != pl.Categorical or samples.dtype != pl.Categorical:
            texts = accounts.cast(pl.String)
            places = pl.Enum(texts.drop_nulls().unique(maintain_order=True))
            accounts, samples = (one.cast(pl.String).cast(places) for one in (texts, samples))
        accounts, samples = accounts.to_physical(), samples.to_physical()
    if accounts.null_count():
        accounts, samples = (one.cast(pl.Int64).fill_null(NULL) for one in (accounts, samples))
    return accounts.to_numpy(), samples.to_numpy()


def _places(known: Ints, found: Ints) -> tuple[Ints, Ints, int]:
    """The place of each value among those of ``known``, of which those of ``found`` are some, and how many different ones there are."""
    values, mine = np.unique(known, return_inverse=True)
    if int(values[-1]) - int(values[0]) > WIDEST:
        return mine.astype(np.int32), np.searchsorted(values, found).astype(np.int32), len(values)
    least = int(values[0])
    table = np.zeros(int(values[-1]) - least + 1, dtype=np.int32)
    table[values - values[0]] = np.arange(len(values))
    return mine.astype(np.int32), table[found - values[0] if least else found], len(values)


def _products(code: Ints, tick: Ints, count: int) -> tuple[Array, Array]:
    """By account: the sum of squared counts a tick, and of products of counts of neighbouring ticks."""
    first = int(tick.min())
    span = int(tick.max()) - first + 2  # one empty tick apart, so that accounts never seem neighbours
    width = _width(count * span)
    cells = code.astype(width) * span + (tick - first).astype(width)
    cells.sort()
    ends = np.append(np.flatnonzero(cells[1:] != cells[:-1]), len(cells) - 1)
    cell, seen = cells[ends], np.diff(ends, prepend=-1)
    bounds = np.searchsorted(cell, np.arange(count, dtype=np.int64) * span)
    near = np.flatnonzero(cell[1:] - cell[:-1] == 1)
    squares = _sums(seen * seen, bounds)
    return squares, _sums(seen[near] * seen[near + 1], np.searchsorted(near, bounds))


def _width(size: int) -> np.dtype[Any]:
    """Of whole numbers below a size: half as wide are sorted five times as fast."""
    return np.dtype(np.int64 if size >= SMALL else np.int32)


def _sums(values: Ints, bounds: Ints) -> Array:
    """Sums of stretches of values, each from one bound to the next."""
    through = np.concatenate(([0], np.cumsum(values)))
    return np.asarray(np.diff(through[np.append(bounds, len(values))]), dtype=np.float64)


def poisson_interval(count: Array, variance: Array, seen: Array | None = None) -> tuple[Array, Array]:
    """95% interval of a sum whose variance is ``variance``, by scaling an exact Poisson interval.

    ``seen`` is how many samples made the sum, each of the same weight; the sum itself when they weigh one. With fewer
    than 10 seen the dispersion cannot be estimated, so it is taken as at least Poisson's.
    """
    count = np.asarray(count, dtype=float)
    seen = count if seen is None else np.asarray(seen, dtype=float)
    weight = np.where(seen > 0, count / np.maximum(seen, 1e-9), 1.0)
    dispersion = np.maximum(np.asarray(variance, dtype=float), 1e-9) / np.maximum(count, 1e-9)
    dispersion = np.where(seen < FEWEST, np.maximum(dispersion, weight), np.maximum(dispersion, 0.02))
    scaled = count / dispersion
    low = np.where(count > 0, gammaincinv(np.maximum(scaled, 1e-12), 0.025), 0.0) * dispersion
    high = gammaincinv(scaled + 1, 0.975) * dispersion
    return low, high
