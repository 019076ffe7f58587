"""Figures of many servers at once are those of each by itself."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.figures.minutes import by_minute, by_minute_of_servers, covered_by_server, covered_s
from hardy_gauge.core.reference.typical_day import typical_sum
from hardy_gauge.core.time.span import MINUTE_US
from hardy_gauge.core.time.steps import means, means_of_many

FIGURE = FIGURES["response_s"]


def rows(rng: np.random.Generator, server: int, count: int) -> pl.DataFrame:
    """Minutes with some that come twice, some missing, and values that are not reported."""
    at = np.sort(rng.integers(0, count, count)) * MINUTE_US + 1_795_000_000_000_000
    frame = pl.DataFrame({"at_us": at, "span_s": rng.choice([10.0, 30.0, 60.0, 61.0], count)})
    frame = frame.with_columns(pl.Series(c, rng.random(count)).round(2) for c in FIGURE.columns if c != "span_s")
    holes = pl.Series(rng.random(count) < 0.1)
    frame = frame.with_columns(
        pl.when(holes).then(None).otherwise(pl.col(c)).alias(c) for c in {*FIGURE.columns, "span_s"}
    )
    return frame.with_columns(pl.lit(server, dtype=pl.Int32).alias("server_id"))


@pytest.mark.parametrize("seed", range(5))
def test_each_as_by_itself(seed: int) -> None:
    rng = np.random.default_rng(seed)
    frames = {server: rows(rng, server, int(rng.integers(1, 90))) for server in (7, 3, 12)}
    whole = pl.concat(frames.values()).sort("at_us", maintain_order=True)
    owners, times, values = by_minute_of_servers(whole, FIGURE)
    grid = np.arange(1_795_000_000_000_000, 1_795_000_000_000_000 + 90 * MINUTE_US, MINUTE_US)
    known = np.isfinite(values)
    ids = np.array(list(frames))
    table = means_of_many(ids, owners[known], times[known], values[known], grid, MINUTE_US)
    for place, (server, frame) in enumerate(frames.items()):
        at, each = by_minute(frame, FIGURE)
        assert np.array_equal(times[owners == server], at) and np.allclose(
            values[owners == server], each, equal_nan=True
        )
        kept = np.isfinite(each)
        assert np.allclose(table[place], means(at[kept], each[kept], grid, MINUTE_US), equal_nan=True)
        assert covered_by_server(whole).get(server, 0.0) == pytest.approx(covered_s(frame))


def test_the_typical_sum_fills_with_each_servers_median() -> None:
    """Against numpy's own median of what is not NaN."""
    rng = np.random.default_rng(3)
    for _ in range(50):
        values = rng.random((6, 9))
        values[rng.random(values.shape) < 0.3] = np.nan
        known = values[np.isfinite(values).any(axis=1)]
        filled = np.where(np.isfinite(known), known, np.nanmedian(known, axis=1, keepdims=True))
        found = typical_sum(values)
        assert found is not None
        assert found.value == pytest.approx(np.median(filled[:, np.isfinite(known).any(axis=0)].sum(axis=0)))
