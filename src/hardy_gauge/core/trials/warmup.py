"""Warm-up removal by MSER-5 (K. P. White, "An Effective Truncation Heuristic for Bias Reduction in
Simulation Output", Simulation 69, 1997): average in batches of five, then cut where the standard error
of what remains is least, looking at the first half only."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

BATCH = 5


def mser5(values: NDArray[np.float64]) -> int:
    """How many leading values to leave out; 0 when there are fewer than 20."""
    y = np.asarray(values, dtype=float)
    batches = y[: len(y) // BATCH * BATCH].reshape(-1, BATCH).mean(axis=1)
    n = len(batches)
    if n < 4:
        return 0
    tests = [((batches[d:] - batches[d:].mean()) ** 2).sum() / (n - d) ** 2 for d in range(n // 2 + 1)]
    return int(np.argmin(tests)) * BATCH
