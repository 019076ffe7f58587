"""Compare two arms: ratio of means over paired runs with a 95% interval.

The logarithm of candidate ÷ control in each block is a difference of paired values; its mean and
Student's t interval (Jain 1991, ch. 13.4.1, paired observations) give the ratio and its interval back by
the exponential. Runs that were not made in the same blocks are compared as two samples (Welch 1947).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtr, stdtrit

LEVEL = 0.95


def family_level(comparisons: int) -> float:
    """The level of each of several intervals that shall hold together at 95% (Bonferroni's inequality)."""
    return 1 - (1 - LEVEL) / max(comparisons, 1)


@dataclass(frozen=True)
class Interval:
    """A mean with its 95% interval over ``runs`` runs."""

    mean: float
    low: float
    high: float
    runs: int


@dataclass(frozen=True)
class Ratio:
    """Candidate ÷ control with its 95% interval and the p-value of "no difference"."""

    ratio: float
    low: float
    high: float
    p_value: float
    blocks: int


def mean_interval(values: Sequence[float], level: float = LEVEL) -> Interval:
    """Mean and Student's t interval; the bounds are infinite with fewer than two values."""
    y = np.asarray(values, dtype=float)
    n = len(y)
    mean = float(y.mean()) if n else float("nan")
    if n < 2:
        return Interval(mean, float("-inf"), float("inf"), n)
    half = float(stdtrit(n - 1, 0.5 + level / 2) * y.std(ddof=1) / np.sqrt(n))
    return Interval(mean, mean - half, mean + half, n)


def paired_ratio(control: Sequence[float], candidate: Sequence[float], level: float = LEVEL) -> Ratio:
    """Ratio of positive figures measured in the same blocks; ValueError when they do not pair or are not positive."""
    a, b = np.asarray(control, dtype=float), np.asarray(candidate, dtype=float)
    if a.shape != b.shape or a.ndim != 1:
        raise ValueError("control and candidate need one figure for each block")
    if not len(a) or (a <= 0).any() or (b <= 0).any():
        raise ValueError("a ratio needs figures above zero in every block")
    logs = np.log(b) - np.log(a)
    found = mean_interval(logs.tolist(), level)
    spread = float(logs.std(ddof=1)) if len(logs) > 1 else 0.0
    if len(logs) < 2:
        p_value = 1.0
    elif spread == 0.0:
        p_value = 1.0 if found.mean == 0 else 0.0
    else:
        t = abs(found.mean) / (spread / np.sqrt(len(logs)))
        p_value = float(2 * stdtr(len(logs) - 1, -t))
    low, high = (float(np.exp(np.clip(bound, -700, 700))) for bound in (found.low, found.high))
    return Ratio(float(np.exp(found.mean)), low, high, p_value, len(logs))


def unpaired_ratio(first: Sequence[float], second: Sequence[float], level: float = LEVEL) -> Ratio:
    """Second ÷ first of positive figures that were measured apart, by Welch's t interval of their logarithms; ``blocks`` is the fewer
    runs of the two. ValueError when there are fewer than two of each, or one is not positive.
    """
    a, b = np.log(np.asarray(first, dtype=float)), np.log(np.asarray(second, dtype=float))
    if min(len(a), len(b)) < 2 or not (np.isfinite(a).all() and np.isfinite(b).all()):
        raise ValueError("a ratio needs two figures above zero or more on either side")
    parts = a.var(ddof=1) / len(a), b.var(ddof=1) / len(b)
    error = float(np.sqrt(sum(parts)))
    found = float(b.mean() - a.mean())
    if error == 0.0:
        return Ratio(
            float(np.exp(found)),
            float(np.exp(found)),
            float(np.exp(found)),
            1.0 if found == 0 else 0.0,
            min(len(a), len(b)),
        )
    freedom = sum(parts) ** 2 / sum(part**2 / (len(one) - 1) for part, one in zip(parts, (a, b), strict=True))
    half = float(stdtrit(freedom, 0.5 + level / 2) * error)
    low, high = (float(np.exp(np.clip(bound, -700, 700))) for bound in (found - half, found + half))
    return Ratio(float(np.exp(found)), low, high, float(2 * stdtr(freedom, -abs(found) / error)), min(len(a), len(b)))
