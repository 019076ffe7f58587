"""Stack distances against brute force: cachetools.LRUCache (a general-purpose library) hit by hit, at every size."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest
from cachetools import LRUCache
from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.core.capacity.cache_curve import WARM, cache_curve, curve_sheet
from hardy_gauge.core.capacity.stack_distance import NEVER, stack_distances


def hits_of(trace: list[int], size: int) -> list[bool]:
    cache, hits = LRUCache[int, bool](size), []
    for page in trace:
        hits.append(page in cache)
        cache[page] = True
    return hits


@pytest.mark.parametrize(("count", "pages", "skew"), [(400, 60, 0.0), (700, 120, 0.8), (600, 40, 1.4)])
def test_one_pass_tells_the_hits_of_every_size(count: int, pages: int, skew: float) -> None:
    weight = np.arange(1, pages + 1) ** -skew
    trace = np.random.default_rng(5).choice(pages, count, p=weight / weight.sum())
    distances = stack_distances(trace)
    for size in range(1, pages + 2):
        hits = hits_of(trace.tolist(), size)
        assert (distances <= size).tolist() == hits


@given(st.lists(st.integers(0, 9), max_size=70), st.integers(1, 12))
def test_any_trace(trace: list[int], size: int) -> None:
    distances = stack_distances(np.array(trace, dtype=np.int64))
    assert (distances <= size).tolist() == hits_of(trace, size)


def test_the_example_of_a_stack() -> None:
    """By hand, as in the paper's figure: the depth at which each page is found in the stack of pages used last."""
    letters = {letter: number for number, letter in enumerate("abcd")}
    trace = np.array([letters[one] for one in "abcbadacb"])
    never = NEVER
    assert stack_distances(trace).tolist() == [never, never, never, 2, 3, never, 2, 4, 4]


def trace_of(pages: list[int]) -> pl.DataFrame:
    return pl.DataFrame({"object": ["t"] * len(pages), "page": pages})


def test_a_loop_has_its_knee_at_its_length() -> None:
    """Pages asked for in a circle: no size below finds one, the whole finds all (common practice; follows from the definition)."""
    curve = cache_curve(trace_of(list(range(100)) * 20), 8192)
    assert curve is not None and curve.knee_bytes == curve.touched_bytes == 100 * 8192
    assert [one.hit_ratio for one in curve.points] == [0.0] * (len(curve.points) - 1) + [1.0]
    small, large = curve_sheet("desk-a", curve, 50 * 8192), curve_sheet("desk-a", curve, 200 * 8192)
    assert small.now is not None and small.now.hit_ratio < 0.05 and "less than that is set" in small.sentence
    assert large.now is not None and large.now.hit_ratio == 1 and "more than that is set" in large.sentence


def test_objects_have_pages_of_their_own_and_a_band() -> None:
    random = np.random.default_rng(2)
    frame = pl.DataFrame({"object": random.choice(["t", "i"], 8000), "page": random.zipf(1.5, 8000) % 300})
    curve = cache_curve(frame, 8192)
    assert curve is not None
    ids = frame.select(pl.struct("object", "page").rank("dense")).to_series().to_list()
    begin = int(WARM * len(ids))
    for point in curve.points[:: len(curve.points) // 6]:
        hits = hits_of(ids, int(point.bytes / 8192))[begin:]
        assert point.hit_ratio == pytest.approx(sum(hits) / len(hits)) and point.low <= point.hit_ratio <= point.high
    ratios = [one.hit_ratio for one in curve.points]
    assert ratios == sorted(ratios) and curve.first_share == pytest.approx(1 - ratios[-1])
    assert curve_sheet("a", curve, None).now is None


def test_the_band_covers_what_a_longer_trace_tells() -> None:
    """In simulation: the interval of batch means of independent requests holds the ratio of a trace fifty times as long in some 95 of 100."""
    pages, held, looks = 200, 0, 200
    weight = np.arange(1, pages + 1) ** -1.0
    weight /= weight.sum()
    longest = stack_distances(np.random.default_rng(9).choice(pages, 200_000, p=weight))[20_000:]
    for seed in range(looks):
        curve = cache_curve(trace_of(np.random.default_rng(seed).choice(pages, 4000, p=weight).tolist()), 8192)
        assert curve is not None
        near = min(curve.points, key=lambda one: abs(one.bytes - 40 * 8192))
        held += near.low <= (longest <= near.bytes / 8192).mean() <= near.high
    assert 0.91 * looks <= held <= 0.985 * looks


def test_a_trace_of_new_pages_has_no_curve() -> None:
    assert cache_curve(trace_of(list(range(500))), 8192) is None
    assert "Too few pages" in curve_sheet("a", None, 1.0).sentence
    assert cache_curve(trace_of([]), 8192) is None
