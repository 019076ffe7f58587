"""A read of many servers gives what reads of each give, whatever is kept from before."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from tests.queries.builder import Built

HOUR = segments.HOUR_US
BEGIN = 500 * HOUR


def rows(rng: np.random.Generator, since_us: int, until_us: int, odd: bool) -> pl.DataFrame:
    at = np.sort(rng.integers(since_us, until_us, int(rng.integers(1, 40))))
    frame = pl.DataFrame({"at_us": at, "value": rng.random(len(at))})
    return frame.with_columns(pl.lit(1.0).alias("only here")) if odd else frame


@pytest.mark.parametrize("seed", range(4))
def test_as_reads_of_each(store: Store, seed: int) -> None:
    rng, built = np.random.default_rng(seed), Built(store)
    servers = [built.server(name) for name in ("a", "b", "c")]

    def add(until_hour: int) -> None:
        for server in servers:
            for _ in range(int(rng.integers(1, 6))):
                since = BEGIN + int(rng.integers(0, until_hour * HOUR))
                with store.write() as session:
                    frame = rows(rng, since, since + int(rng.integers(1, 3 * HOUR)), rng.random() < 0.3)
                    segments.append(session, server, "metric", frame)

    def compare() -> None:
        for _ in range(6):
            since = BEGIN + int(rng.integers(-HOUR, 8 * HOUR))
            until = since + int(rng.integers(1, 5 * HOUR))
            columns = None if rng.random() < 0.3 else ["value", "only here"]
            asked = [server for server in servers if rng.random() < 0.8]
            with store.read() as session:
                many = segments.read(session, asked, "metric", since, until, columns)
                each = [segments.read(session, [server], "metric", since, until, columns) for server in asked]
            found = [one for one in each if len(one)]
            assert len(many) == sum(map(len, found))
            if found:
                whole = pl.concat(found, how="diagonal").sort("server_id", "at_us", "value")
                assert many.select(whole.columns).sort("server_id", "at_us", "value").equals(whole)

    for until_hour in (4, 8):
        add(until_hour)
        compare()
        compare()
    with store.write() as session:
        segments.compact(session, BEGIN + 48 * HOUR)
    compare()
