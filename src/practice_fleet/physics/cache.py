"""Hit ratios of the buffer cache and of the operating system's cache below it, by characteristic times.

Che, Tung and Wang (2002): under independent references, a page asked for at rate λ is in an LRU cache with
probability 1 − e^(−λT), where T solves Σ(1 − e^(−λT)) = capacity. For the cache below, Martina, Garetto and
Leonardi ("A unified approach to the performance analysis of caching systems", 2014): a page asks there at rate
λ' = λe^(−λT₁), and only when it has not been asked for during T₁; so it is found with probability
1 − e^(−λ'(T₂−T₁)). That is how pages come to be held twice: the lower cache is of no use where T₂ ≤ T₁.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.optimize import brentq

from practice_fleet.physics.queueing import Array

BINS = 160
LONGEST_LOG = 40.0


@dataclass(frozen=True)
class Accessed:
    """One table or index: its pages, Zipf exponent of their popularity, and page requests per second.

    ``scanned`` are requests per second that go past the buffer cache, in turn over all pages.
    """

    name: str
    pages: float
    skew: float
    rate: float
    scanned: float = 0.0


@dataclass(frozen=True)
class Hits:
    """Where requested pages are found: shares of the requests; the rest comes from the volume.

    ``buffer`` and ``system`` are of ordinary requests, ``scan_system`` of those that go past the buffer cache.
    """

    buffer: float
    system: float = 0.0
    scan_system: float = 0.0

    @property
    def read(self) -> float:
        return max(0.0, 1.0 - self.buffer - self.system)


@dataclass(frozen=True)
class Caches:
    """Hit ratios by object, and the characteristic time of the buffer cache (s): how long a page stays unasked."""

    hits: dict[str, Hits]
    stay_s: float


@lru_cache(maxsize=4096)
def zipf_bins(pages: float, skew: float) -> tuple[Array, Array]:
    """Ranks 1 … pages in geometric bins: (pages in each bin, request probability of one page of it)."""
    edges = np.unique(np.floor(np.geomspace(1, pages + 1, BINS)))
    if edges[-1] < pages + 1:
        edges[-1] = pages + 1
    counts = np.diff(edges)
    middle = np.sqrt(edges[:-1] * np.maximum(edges[1:] - 1, edges[:-1]))
    weight = middle**-skew
    return counts, weight / float((counts * weight).sum())


def characteristic_time(counts: Array, rates: Array, capacity: float) -> float:
    """Seconds T with Σ counts·(1 − e^(−rates·T)) = capacity; infinite when everything asked for fits."""
    if capacity <= 0:
        return 0.0

    def overfull(log_time: float) -> float:
        return float((counts * -np.expm1(-rates * np.exp(log_time))).sum()) - capacity

    if overfull(LONGEST_LOG) <= 1e-9 * capacity:
        return float("inf")
    return float(np.exp(brentq(overfull, -40, LONGEST_LOG, xtol=1e-6)))


def two_levels(objects: list[Accessed], buffer_pages: float, system_pages: float = 0.0) -> Caches:
    """Hit ratios in a buffer cache and a system cache shared by all ``objects``."""
    used = [o for o in objects if o.rate > 0 or o.scanned > 0]
    if not used:
        return Caches({o.name: Hits(1.0) for o in objects}, float("inf"))
    bins = [(o, *zipf_bins(o.pages, o.skew)) for o in used]
    counts = np.concatenate([c for _, c, _ in bins])
    rates = np.concatenate([o.rate * p for o, _, p in bins])
    scans = np.concatenate([np.full(len(c), o.scanned / o.pages) for o, c, _ in bins])
    first = characteristic_time(counts, rates, buffer_pages)
    absent = np.exp(-rates * first) if np.isfinite(first) else np.where(rates > 0, 0.0, 1.0)
    below = rates * absent + scans
    second = characteristic_time(counts, below, system_pages)
    if np.isfinite(second):
        found = -np.expm1(-below * max(second - first, 0.0))
        scan_found = -np.expm1(-below * second)
    else:  # everything that asks there is kept there
        found = scan_found = (below > 0).astype(float)
    hits: dict[str, Hits] = {}
    at = 0
    for o, count, share in bins:
        part = slice(at, at + len(count))
        buffer = float((count * share * (1 - absent[part])).sum())
        system = float((count * share * absent[part] * found[part]).sum())
        hits[o.name] = Hits(buffer, system, float((count * scan_found[part]).sum()) / o.pages)
        at += len(count)
    unasked = Hits(1.0 if np.isinf(first) else 0.0)
    return Caches({o.name: hits.get(o.name, unasked) for o in objects}, first)


def distinct_pages(objects: list[Accessed], seconds: float) -> float:
    """How many different pages are asked for in ``seconds``: Σ(1 − e^(−λt))."""
    total = 0.0
    for o in objects:
        if o.rate > 0:
            counts, share = zipf_bins(o.pages, o.skew)
            total += float((counts * -np.expm1(-o.rate * share * seconds)).sum())
    return total
