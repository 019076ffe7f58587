"""Rows written to tables are counted over the focus, so a bulk load of last week weighs nothing today."""

from __future__ import annotations

import polars as pl
import pytest

from hardy_gauge.core.time.span import DAY_US, MINUTE_US, Span
from hardy_gauge.queries.evidence import writes_of
from hardy_gauge.queries.scope import server_named
from hardy_gauge.store.database import Store
from tests.queries.builder import HOUR, NOW, Built


def test_writes_are_of_the_focus(store: Store) -> None:
    built = Built(store)
    server = built.server("a")
    built.minutes(server, NOW - 3 * DAY_US, NOW - 3 * DAY_US + 5 * MINUTE_US, 1.0)
    built.minutes(server, HOUR.since_us, NOW, 1.0)

    def written(since_us: int, minutes: int, inserts: float) -> None:
        at = [since_us + i * MINUTE_US for i in range(minutes)]
        none = pl.lit(None, pl.String).alias("column")
        counted = {"table": "loan", "inserts": inserts, "updates": 60.0, "deletes": 0.0, "span_s": 60.0}
        built.rows(server, "table", pl.DataFrame({"at_us": at, **counted}).with_columns(none))
        columns = {"table": "loan", "column": "due", "updates": 30.0, "span_s": 60.0}
        built.rows(server, "table", pl.DataFrame({"at_us": at, **columns}))

    written(NOW - 3 * DAY_US, 5, 12_000_000.0)
    written(HOUR.since_us, 60, 120.0)
    found = writes_of(built.reader, server_named(built.reader, "a"), HOUR)["loan"]
    assert (found.inserts_per_s, found.updates_per_s, found.deletes_per_s) == pytest.approx((2.0, 1.0, 0.0))
    assert found.updates_by_column == {"due": pytest.approx(0.5)}
    load = Span(NOW - 3 * DAY_US, NOW - 3 * DAY_US + 5 * MINUTE_US)
    assert writes_of(built.reader, server_named(built.reader, "a"), load)["loan"].inserts_per_s == pytest.approx(
        200_000
    )
    assert writes_of(built.reader, server_named(built.reader, "a"), Span(1, 2)) == {}
