"""How throughput grows with the number of sessions: the Universal Scalability Law, X(N) = γN ÷ (1 + α(N − 1) + βN(N − 1)), with
contention α and coherency β (N. J. Gunther, *Guerrilla Capacity Planning*, 2007), fitted by least squares.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

DRAWS = 400
LEVEL = 0.95


@dataclass(frozen=True)
class Bounds:
    """``high`` is None where no upper end is shown."""

    value: float
    low: float
    high: float | None


@dataclass(frozen=True)
class Scalability:
    """``one`` is the throughput of one session, ``peak`` the number of sessions beyond which more hurt; None where the curve does not turn."""

    one: Bounds
    contention: Bounds
    coherency: Bounds
    peak: Bounds | None
    most: float

    def turns_within(self, sessions: float) -> bool:
        """Whether the curve turns at so many sessions or fewer."""
        return self.peak is not None and self.peak.value <= sessions


def throughput(sessions: np.ndarray, one: float, contention: float, coherency: float) -> np.ndarray:
    return np.asarray(one * sessions / (1 + contention * (sessions - 1) + coherency * sessions * (sessions - 1)))


def fitted(sessions: Sequence[float], rates: Sequence[float]) -> tuple[float, float, float]:
    """γ, α and β; ValueError with fewer than three numbers of sessions."""
    n, x = np.asarray(sessions, float), np.asarray(rates, float)
    if len(set(sessions)) < 3:
        raise ValueError("three numbers of sessions or more are needed")
    from scipy.optimize import least_squares  # takes half a second and 18 MB, which only a fit has to spend

    scale = x.max()
    start = [x[np.argmin(n)] / n.min() / scale, 0.05, 1e-4]
    held = (n - 1, n * (n - 1))

    def off(p: np.ndarray) -> np.ndarray:
        return np.asarray(throughput(n, *p) - x / scale)

    def jacobian(p: np.ndarray) -> np.ndarray:
        below = 1 + held[0] * p[1] + held[1] * p[2]
        return np.asarray(np.column_stack([n / below, *(-p[0] * n * one / below**2 for one in held)]))

    steps = [start[0], 0.05, 1e-3]
    found = least_squares(off, start, jacobian, method="lm", x_scale=steps, xtol=1e-12, ftol=1e-12, gtol=1e-12)
    if (
        min(found.x) < 0 or max(found.x[1:]) > 1
    ):  # bounds make the search ten times dearer, and most fits do not need them
        within = ([0, 0, 0], [np.inf, 1, 1])
        found = least_squares(off, start, jacobian, within, x_scale=steps, xtol=1e-12, ftol=1e-12, gtol=1e-12)
    return float(found.x[0] * scale), float(found.x[1]), float(found.x[2])


def peak_of(contention: float, coherency: float) -> float | None:
    """√((1 − α) ÷ β); None where there is no coherency to speak of."""
    return float(np.sqrt((1 - contention) / coherency)) if coherency > 1e-9 else None


def scalability(sessions: Sequence[float], blocks: Sequence[Sequence[float]], seed: int = 1) -> Scalability:
    """From throughput by number of sessions in each block; intervals by drawing blocks anew (bootstrap, percentiles), or nothing but the
    fit where there is one block.
    """
    y = np.asarray(blocks, float)
    whole = fitted(sessions, y.mean(axis=0).tolist())
    draw = np.random.default_rng(seed)
    drawn = [whole]
    if len(y) > 1:
        # few blocks make few different draws: each is fitted once
        picks = [tuple(sorted(draw.integers(len(y), size=len(y)).tolist())) for _ in range(DRAWS)]
        fits = {pick: fitted(sessions, y[list(pick)].mean(axis=0).tolist()) for pick in set(picks)}
        drawn = [fits[pick] for pick in picks]
    table = np.asarray(drawn)
    lows, highs = np.quantile(table, [(1 - LEVEL) / 2, (1 + LEVEL) / 2], axis=0)
    bounds = [Bounds(value, float(a), float(b)) for value, a, b in zip(whole, lows, highs, strict=True)]
    peak = peak_of(whole[1], whole[2])
    turns = None
    if peak is not None:
        # a draw that does not turn counts as one that turns later than any
        peaks = sorted(peak_of(row[1], row[2]) or np.inf for row in drawn)
        low, high = (peaks[min(len(peaks) - 1, int(part * len(peaks)))] for part in ((1 - LEVEL) / 2, (1 + LEVEL) / 2))
        turns = Bounds(peak, min(float(low), peak), None if np.isinf(high) else float(high))
    most = float(throughput(np.array([peak if peak is not None else max(sessions)]), *whole)[0])
    return Scalability(bounds[0], bounds[1], bounds[2], turns, most)
