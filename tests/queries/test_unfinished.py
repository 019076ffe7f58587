"""Calls that hang are ranked with what they have taken so far, not left out until they end."""

from __future__ import annotations

import polars as pl
import pytest

from hardy_gauge.core.statements.unfinished import Unfinished, unfinished_calls
from hardy_gauge.core.time.span import MINUTE_US, SECOND_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.store.database import Store
from tests.queries.builder import HOUR, NOW, Built


@pytest.fixture
def built(store: Store) -> Built:
    return Built(store)


def hanging(built: Built, **more: object) -> int:
    """A server on which one statement is counted and ten calls of another have hung on a lock for half an hour."""
    server = built.server("a", **more)
    quick, stuck = built.statement("SELECT bystander"), built.statement("UPDATE hangs")
    built.minutes(server, HOUR.since_us, NOW, 10.0)
    built.calls(server, quick, HOUR.since_us, NOW, 5.0, 0.1)
    since = NOW - 30 * MINUTE_US
    more_columns = {"began_us": since} if "call_begin" in server_abilities(more) else {}
    built.sessions(server, Span(since, NOW), 10, stuck, "row lock", **more_columns)
    return server


def server_abilities(more: dict[str, object]) -> list[str]:
    found = more.get("abilities", [])
    assert isinstance(found, list)
    return found


def test_calls_that_hang_lead_the_statements(built: Built) -> None:
    hanging(built, abilities=["sessions", "statements", "counters", "call_begin"])
    first, second = statement_rows(built.reader, Window(HOUR), "a").rows
    assert first.text == "UPDATE hangs" and (first.unfinished, first.calls) == (10, 0)
    assert first.unfinished_s == pytest.approx(10 * 1800, rel=0.01)
    assert first.share == pytest.approx(18_000 / (18_000 + 1_800), rel=0.01)
    assert first.main_family == "row lock" and first.time_per_call_s is None
    assert second.unfinished == 0


def test_without_the_begin_of_calls_the_sheet_says_what_it_cannot_see(built: Built) -> None:
    hanging(built, abilities=["sessions", "statements", "counters"])
    listed = statement_rows(built.reader, Window(HOUR), "a")
    assert [row.text for row in listed.rows] == ["SELECT bystander"]
    assert "10 sessions were running" in listed.blind and "do not report when a call began" in listed.blind


def looks(**columns: object) -> pl.DataFrame:
    return pl.DataFrame({"server_id": 1, "session": [1, 2], "statement": 7} | columns)


def test_only_the_last_look_counts_and_only_the_part_in_the_window() -> None:
    window = HOUR
    frame = looks(at_us=[NOW - SECOND_US, NOW - SECOND_US], began_us=[NOW - 7200 * SECOND_US, NOW - 11 * SECOND_US])
    found = unfinished_calls(frame, window)
    assert found == {7: Unfinished(2, 3599.0 + 10.0)}
    assert unfinished_calls(frame.with_columns(pl.col("at_us") - 60 * SECOND_US), window) == {}
    assert unfinished_calls(frame.with_columns(pl.lit(None, pl.Int64).alias("began_us")), window) == {}
    thinned = unfinished_calls(frame.with_columns(pl.lit(4).alias("one_in")), window)
    assert thinned == {7: Unfinished(8, 4 * 3609.0)}
