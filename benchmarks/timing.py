"""Timing side by side in one run: what is compared alternates, and the median of each counts."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable


def seconds(job: Callable[[], object]) -> float:
    began = time.perf_counter()
    job()
    return time.perf_counter() - began


def side_by_side(ours: Callable[[], object], theirs: Callable[[], object], rounds: int = 5) -> tuple[float, float]:
    """Median seconds of each, run in turn; one round of each before does not count."""
    ours(), theirs()
    pairs = [(seconds(ours), seconds(theirs)) for _ in range(rounds)]
    return statistics.median(a for a, _ in pairs), statistics.median(b for _, b in pairs)
