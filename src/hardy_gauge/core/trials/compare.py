"""Compare two arms: ratio of means over paired runs with a 95% interval.

The logarithm of candidate ÷ control in each block is a difference of paired values; its mean and
Student's t interval (Jain 1991, ch. 13.4.1, paired observations) give the ratio and its interval back by
the exponential.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtr, stdtrit

LEVEL = 0.95


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


def mean_interval(values: Sequence[float]) -> Interval:
    """Mean and Student's t interval; the bounds are infinite with fewer than two values."""
    y = np.asarray(values, dtype=float)
    n = len(y)
    mean = float(y.mean()) if n else float("nan")
    if n < 2:
        return Interval(mean, float("-inf"), float("inf"), n)
    half = float(stdtrit(n - 1, 0.5 + LEVEL / 2) * y.std(ddof=1) / np.sqrt(n))
    return Interval(mean, mean - half, mean + half, n)


def paired_ratio(control: Sequence[float], candidate: Sequence[float]) -> Ratio:
    """Ratio of positive figures measured in the same blocks; ValueError when they do not pair or are not positive."""
    a, b = np.asarray(control, dtype=float), np.asarray(candidate, dtype=float)
    if a.shape != b.shape or a.ndim != 1:
        raise ValueError("control and candidate need one figure for each block")
    if not len(a) or (a <= 0).any() or (b <= 0).any():
        raise ValueError("a ratio needs figures above zero in every block")
    logs = np.log(b) - np.log(a)
    found = mean_interval(logs.tolist())
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
