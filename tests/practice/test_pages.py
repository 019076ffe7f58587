"""Actual pages: LRU against brute force, two levels against the approximation, scans that do not empty a cache."""

from __future__ import annotations

import numpy as np
import pytest
from cachetools import LRUCache

from practice_fleet.events.lru import Lru
from practice_fleet.events.pages import Found, Pages, StoredObject
from practice_fleet.events.randoms import Randoms
from practice_fleet.physics.cache import Accessed, distinct_pages, two_levels
from practice_fleet.physics.checkpoints import checkpoints


def zipf_trace(count: int, pages: int, skew: float, seed: int = 3) -> list[int]:
    weight = np.arange(1, pages + 1) ** -skew
    return np.random.default_rng(seed).choice(pages, count, p=weight / weight.sum()).tolist()


@pytest.mark.parametrize("capacity", [1, 50, 400, 5000])
def test_hits_are_exactly_those_of_brute_force(capacity: int) -> None:
    """Reference: cachetools.LRUCache, hit by hit."""
    ours, theirs = Lru(capacity), LRUCache[int, bool](capacity)
    for page in zipf_trace(20_000, 3000, 0.8):
        hit = ours.ask(page)
        assert hit == (page in theirs)
        if hit:
            _ = theirs[page]
        else:
            ours.put(page)
            theirs[page] = True
    assert len(ours) == len(theirs)


def test_the_cold_end_goes_first() -> None:
    cache = Lru(3)
    for page in (1, 2):
        cache.put(page)
    assert cache.put(9, cold=True) is None
    assert cache.put(3) == 9, "the scanned page goes before those that were asked for"
    assert cache.put(4) == 1
    assert Lru(0).put(1) is None


def pages(objects: list[StoredObject], buffer: float, system: float, **more: float) -> Pages:
    return Pages(objects, buffer, system, Randoms(5), **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(("buffer", "system"), [(500, 0), (500, 1500), (1000, 2500), (1500, 1800)])
def test_two_levels_agree_with_the_approximation(buffer: int, system: int) -> None:
    """Buffer cache within 2 points on Zipf traces; the cache below within 3, for its approximation takes the
    requests that reach it as independent, which they are least where both are of one size."""
    stored = [StoredObject("t", 6000, 0.8, 3.0, 0, False), StoredObject("i", 1500, 0.6, 1.0, 0, False)]
    actual = pages(stored, buffer, system)
    found, asked = {"t": Found(), "i": Found()}, {"t": 90_000, "i": 30_000}
    hits = {}
    for name in [n for pair in zip(["t"] * 90_000, ["i", None, None] * 30_000, strict=True) for n in pair if n]:
        before = actual.hits
        actual.ask(name, 1, found[name])
        hits[name] = hits.get(name, 0) + actual.hits - before
    theory = two_levels([Accessed(o.name, o.pages, o.skew, o.rate) for o in stored], buffer, system).hits
    for name, count in asked.items():
        assert hits[name] / count == pytest.approx(theory[name].buffer, abs=0.02)
        assert found[name].system / count == pytest.approx(theory[name].system, abs=0.03)
        assert found[name].read / count == pytest.approx(theory[name].read, abs=0.03)


def test_the_lower_cache_is_useless_when_it_is_no_larger() -> None:
    """Even access, half of the pages above: whatever is missed above has long left a cache of equal size below."""
    even = [Accessed("t", 10_000, 0.0, 1.0)]
    assert two_levels(even, 5000, 5000).hits["t"].system < 0.25
    assert two_levels(even, 100, 5000).hits["t"].system > 0.45
    whole = two_levels(even, 100, 10_001).hits["t"]
    assert whole.read == pytest.approx(0, abs=1e-9)


@pytest.mark.parametrize("most", [60_000, 700])
def test_units_of_several_pages_keep_the_hit_ratio(most: int) -> None:
    stored = [StoredObject("t", 30_000, 0.7, 1.0, 0, False)]
    actual = pages(stored, 6000, 4000, most_units=most)
    found = Found()
    actual.ask("t", 60_000, found)
    theory = two_levels([Accessed("t", 30_000, 0.7, 1.0)], 6000, 4000).hits["t"]
    assert actual.hits / 60_000 == pytest.approx(theory.buffer, abs=0.03)
    assert found.read / 60_000 == pytest.approx(theory.read, abs=0.03)


def test_a_large_scan_does_not_empty_the_buffer_cache() -> None:
    stored = [StoredObject("hot", 500, 0.5, 1.0, 0, False), StoredObject("big", 20_000, 0, 0, 0, True)]
    actual = pages(stored, 600, 1000)
    assert actual.scan("big", 20_000, Found()) > 18_000
    found = Found()
    actual.ask("hot", 2000, found)
    assert found.read == 0


def test_changed_pages_are_written_once_by_a_checkpoint() -> None:
    stored = [StoredObject("t", 1000, 0.0, 1.0, 1.0, False)]
    actual = pages(stored, 2000, 0)
    images = actual.change("t", 3000)
    written = actual.checkpoint()
    assert images == written == pytest.approx(1000 * (1 - np.exp(-3)), rel=0.03)
    assert actual.checkpoint() == 0 and actual.change("t", 1) == 1


def test_a_changed_page_that_leaves_is_counted() -> None:
    actual = pages([StoredObject("t", 1000, 0.0, 1.0, 1.0, False)], 100, 0)
    found = Found()
    for _ in range(2000):
        actual.ask("t", 1, found)
        actual.change("t", 1)
    assert found.evicted > 100


def test_checkpoints_follow_time_or_log() -> None:
    table = [Accessed("t", 100_000, 0.6, 200.0)]
    roomy = checkpoints(table, 1e5, 64e9, 300, 0.5, float("inf"))
    tight = checkpoints(table, 1e5, 2e8, 300, 0.5, float("inf"))
    assert (roomy.every_s, roomy.forced) == (300, False) and tight.forced and tight.every_s < 300
    used = (1e5 + tight.image_bytes_per_s) * tight.every_s
    assert used == pytest.approx(2e8 / 1.5, rel=0.02), "it starts when what it may use is used up"
    assert tight.checkpoint_pages_per_s > roomy.checkpoint_pages_per_s
    assert distinct_pages(table, 1e9) == pytest.approx(100_000)
    leaving = checkpoints(table, 1e5, 64e9, 300, 0.5, 20)
    assert leaving.evicted_pages_per_s > 0 == roomy.evicted_pages_per_s


@pytest.mark.parametrize("most_units", [60_000, 2_000])
def test_a_cold_start_reads_each_page_once(most_units: int) -> None:
    """After n requests for N pages N(1 − e^(−n/N)) different ones have been read, whatever the units are."""
    count = 40_000
    stored = [StoredObject("t", count, 0.0, 1.0, 0, False)]
    cold, found = pages(stored, count, 0, cold=True, most_units=most_units), Found()
    for asked in (20_000, 40_000, 120_000):
        cold.ask("t", asked - cold.requests, found)
        assert found.read == pytest.approx(count * -np.expm1(-asked / count), rel=0.02)
    assert cold.hits == cold.requests - found.read


def test_a_scan_after_a_cold_start_reads_what_was_not_read_yet() -> None:
    stored = [StoredObject("t", 40_000, 0.0, 1.0, 0, False)]
    cold, found = pages(stored, 50_000, 50_000, cold=True, most_units=2_000), Found()
    cold.ask("t", 30_000, found)
    assert cold.scan("t", 40_000, found) == pytest.approx(40_000 - found.read, rel=0.02)
    assert cold.scan("t", 40_000, found) == 0
