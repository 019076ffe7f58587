"""A trace of pages: as often as the load asks for each object, and each page as popular as its rank."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

from practice_fleet.events.lru import Lru
from practice_fleet.page_trace import page_trace
from tests.practice.shelf import NOW, history


def test_the_trace_has_the_load_of_the_moment() -> None:
    made = history()
    block = made.at(NOW)
    trace = page_trace(made, NOW, 300_000)
    asked: dict[str, float] = {}
    for number, key in enumerate(block.keys):
        for name, pages in block.state.visits[key].random.items():
            asked[name] = asked.get(name, 0.0) + pages * float(block.calls[number, 0])
    counted = dict(trace["object"].value_counts().iter_rows())
    total = sum(asked.values())
    for name, pages in asked.items():
        assert counted[name] / len(trace) == pytest.approx(pages / total, abs=0.005)
    assert page_trace(made, NOW, 300_000).equals(trace), "the same again"


def test_pages_are_as_popular_as_their_rank() -> None:
    """Zipf with the exponent 0.8: page k of n is asked for with a weight of k^−0.8."""
    made = history()
    trace = page_trace(made, NOW, 400_000).filter(pl.col("object") == "book")
    pages = made.server.state(NOW).catalogue.pages_of("book")
    share = float((trace["page"] < pages / 10).mean())  # type: ignore[arg-type]
    weights = np.arange(1, int(pages) + 1) ** -0.8
    assert share == pytest.approx(weights[: int(pages / 10)].sum() / weights.sum(), abs=0.02)
    assert trace["page"].min() >= 0 and trace["page"].max() < pages  # type: ignore[operator]


def test_a_cache_on_the_trace_hits_as_often_as_the_model_says() -> None:
    """LRU over the trace against the characteristic-time approximation (Che 2002), within 2 points."""
    made = history(cluster__settings={"buffer_cache_bytes": 32 * 2**20})
    trace = page_trace(made, NOW, 400_000)
    cache, names = Lru(int(32 * 2**20 / 8192)), {name: i for i, name in enumerate(trace["object"].unique().sort())}
    keys = (trace["object"].replace_strict(names).to_numpy().astype(np.int64) << 32) + trace["page"].to_numpy()
    hits = []
    for key in keys.tolist():
        hits.append(key in cache)
        cache.hold(key)
    model = made.server.state(NOW)
    asked = read = 0.0
    block = made.at(NOW)
    for number, key in enumerate(block.keys):
        visit = model.visits[key]
        asked += visit.pages_requested * float(block.calls[number, 0])
        read += visit.pages_read * float(block.calls[number, 0])
    assert float(np.mean(hits[200_000:])) == pytest.approx(1 - read / asked, abs=0.02)
