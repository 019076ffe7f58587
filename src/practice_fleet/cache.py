"""Hit ratios of the buffer cache by the characteristic-time approximation.

Che, Tung and Wang (2002): under independent references, a page asked for at rate λ is in an LRU cache
with probability 1 − e^(−λT), where T solves Σ(1 − e^(−λT)) = capacity.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

BINS = 160


@dataclass(frozen=True)
class Accessed:
    """One table or index: its pages, Zipf exponent of their popularity, and page requests per second."""

    name: str
    pages: float
    skew: float
    rate: float


def zipf_bins(pages: float, skew: float) -> tuple[np.ndarray, np.ndarray]:
    """Ranks 1 … pages in geometric bins: (pages in each bin, request probability of one page of it)."""
    edges = np.unique(np.floor(np.geomspace(1, pages + 1, BINS)))
    if edges[-1] < pages + 1:
        edges[-1] = pages + 1
    counts = np.diff(edges)
    middle = np.sqrt(edges[:-1] * np.maximum(edges[1:] - 1, edges[:-1]))
    weight = middle**-skew
    return counts, weight / float((counts * weight).sum())


def hit_ratios(objects: list[Accessed], capacity_pages: float) -> dict[str, float]:
    """Hit ratio by object name for one LRU cache of ``capacity_pages`` shared by all."""
    used = [o for o in objects if o.rate > 0]
    if sum(o.pages for o in used) <= capacity_pages:
        return {o.name: 1.0 for o in objects}
    bins = [(o, *zipf_bins(o.pages, o.skew)) for o in used]
    counts = np.concatenate([c for _, c, _ in bins])
    rates = np.concatenate([o.rate * p for o, _, p in bins])

    def overfull(log_time: float) -> float:
        return float((counts * -np.expm1(-rates * np.exp(log_time))).sum() - capacity_pages)

    time = np.exp(brentq(overfull, -25, 60, xtol=1e-6))
    ratios = {o.name: float((c * p * -np.expm1(-o.rate * p * time)).sum()) for o, c, p in bins}
    return {o.name: ratios.get(o.name, 0.0) for o in objects}
