"""Figures of single statements on a real PostgreSQL, as its own statistics have them."""

from __future__ import annotations

import time

import psycopg
import pytest

from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.statements.ratios import spread
from hardy_gauge.core.statements.rows import StatementRow
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.store.database import Store
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched

MINUTE_US = 60_000_000
ITS_OWN = """SELECT sum(calls), sum(calls * mean_exec_time) / sum(calls) / 1000, max(stddev_exec_time) / 1000, min(min_exec_time) / 1000,
             max(max_exec_time) / 1000, sum(temp_blks_written), sum(total_plan_time) / 1000
             FROM pg_stat_statements WHERE query LIKE %s AND query NOT LIKE '%%pg_stat%%'"""


def rows(store: Store, collector: Collector, work: list[tuple[psycopg.Connection, str]]) -> dict[str, StatementRow]:
    """Statements by their text, over the minute in which the work was done."""
    (recorder,), now = collector.recorders, clock_us()
    recorder.look_again(now)
    time.sleep(0.7)
    for connection, text in work:
        connection.execute(text)  # type: ignore[call-overload]
    recorder.look_again(now + MINUTE_US)
    assert recorder.error == "", recorder.error
    collector.write()
    reader = Reader(store, lambda: now + 2 * MINUTE_US)
    return {
        row.text: row
        for row in statement_rows(reader, Window(Span(now - MINUTE_US, now + 2 * MINUTE_US)), "fleet").rows
    }


@pytest.mark.postgres
def test_spread_extremes_temporary_pages_and_planning(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    with psycopg.connect(watched[0].info.dsn, autocommit=True) as desk:
        desk.execute("SET work_mem = '64kB'")
        desk.execute("SET pg_stat_statements.track_planning = on")
        watched[0].execute("ALTER SYSTEM SET pg_stat_statements.track_planning = on")
        watched[0].execute("SELECT pg_reload_conf()")
        sleeps = [(desk, f"SELECT pg_sleep({seconds})") for seconds in (0.001, 0.02, 0.05, 0.002)]
        sorts = [(desk, "SELECT note FROM loan ORDER BY note, due")] * 3
        found = rows(store, collector, [*sleeps, *sorts])
        watched[0].execute("ALTER SYSTEM RESET pg_stat_statements.track_planning")
        watched[0].execute("SELECT pg_reload_conf()")
    for part in ("SELECT pg_sleep", "SELECT note FROM loan ORDER BY"):
        (row,) = [one for text, one in found.items() if text.startswith(part)]
        calls, mean, deviation, least, greatest, temporary, planning = (
            watched[0].execute(ITS_OWN, [f"{part}%"]).fetchone() or ()
        )
        assert row.calls == calls
        assert row.time_per_call_s == pytest.approx(mean, rel=1e-6)
        assert row.spread_s == pytest.approx(deviation, rel=1e-4)
        assert (row.least_s, row.greatest_s) == pytest.approx((least, greatest))
        assert row.temporary_pages_per_call == pytest.approx(float(temporary / calls))
        assert row.planning_per_call_s == pytest.approx(planning / float(calls))
        assert row.nested_share == 0 and row.errors == 0


@pytest.mark.postgres
def test_calls_inside_calls(store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]) -> None:
    owner = watched[0]
    owner.execute("SET pg_stat_statements.track = 'all'")
    owner.execute(
        "CREATE OR REPLACE FUNCTION seen(patron_id int) RETURNS bigint LANGUAGE plpgsql AS "
        "$$BEGIN RETURN (SELECT count(*) FROM loan WHERE patron = patron_id); END$$"
    )
    found = rows(store, collector, [(owner, "SELECT seen(3)")] * 5)
    owner.execute("RESET pg_stat_statements.track")
    (inner,) = [one for text, one in found.items() if "count" in text and "patron_id" in text]
    (outer,) = [one for text, one in found.items() if text.startswith("SELECT seen")]
    assert (inner.calls, inner.nested_share, outer.nested_share) == (5, 1, 0)


def test_the_spread_follows_from_sums() -> None:
    """Of 1, 2, 3 and 6 s: the mean is 3 s, the standard deviation √(14/4) s (worked by hand)."""
    assert spread(4, 12, 1 + 4 + 9 + 36) == pytest.approx(3.5**0.5)
    assert spread(4, 12, None) is None and spread(0, 0, 0) is None
