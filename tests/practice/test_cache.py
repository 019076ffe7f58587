"""Hit ratios by the characteristic-time approximation against brute force (cachetools' LRU cache)."""

import numpy as np
import pytest
from cachetools import LRUCache

from practice_fleet.physics.cache import Accessed, two_levels, zipf_bins


def hit_ratios(objects: list[Accessed], capacity: float) -> dict[str, float]:
    return {name: hits.buffer for name, hits in two_levels(objects, capacity).hits.items()}


def brute(pages: list[int], skews: list[float], rates: list[float], capacity: int) -> list[float]:
    """Hit ratio of every object over a trace of independent references, after as many to warm up."""
    rng = np.random.default_rng(1)
    which = rng.choice(len(pages), 240_000, p=np.array(rates) / sum(rates))
    page = np.zeros(len(which), dtype=int)
    for i, (count, skew) in enumerate(zip(pages, skews, strict=True)):
        weight = np.arange(1, count + 1) ** -skew
        mine = which == i
        page[mine] = rng.choice(count, mine.sum(), p=weight / weight.sum())
    cache: LRUCache[tuple[int, int], bool] = LRUCache(capacity)
    hits, asked = np.zeros(len(pages)), np.zeros(len(pages))
    for n, key in enumerate(zip(which.tolist(), page.tolist(), strict=True)):
        found = key in cache
        if found:
            _ = cache[key]
        else:
            cache[key] = True
        if n >= len(which) // 2:
            asked[key[0]] += 1
            hits[key[0]] += found
    return (hits / asked).tolist()


@pytest.mark.parametrize("capacity", [100, 600, 2500])
def test_within_two_points_of_brute_force(capacity: int) -> None:
    pages, skews, rates = [4000, 1500], [0.9, 0.6], [3.0, 1.0]
    objects = [Accessed(f"o{i}", p, s, r) for i, (p, s, r) in enumerate(zip(pages, skews, rates, strict=True))]
    ours = hit_ratios(objects, capacity)
    for i, theirs in enumerate(brute(pages, skews, rates, capacity)):
        assert ours[f"o{i}"] == pytest.approx(theirs, abs=0.02)


def test_everything_fits_and_nothing_asked() -> None:
    assert hit_ratios([Accessed("a", 100, 0.8, 5.0)], 200) == pytest.approx({"a": 1.0})
    ratios = hit_ratios([Accessed("a", 1000, 0.8, 5.0), Accessed("idle", 10, 0.8, 0.0)], 100)
    assert 0 < ratios["a"] < 1 and ratios["idle"] == 0.0


def test_bins_hold_every_page_once() -> None:
    counts, probability = zipf_bins(12_345, 0.8)
    assert counts.sum() == 12_345
    assert (counts * probability).sum() == pytest.approx(1.0)
