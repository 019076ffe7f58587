"""Coverage: rates are divided by what was really recorded, of each source, wherever gaps and the present lie."""

from __future__ import annotations

import polars as pl
import pytest

from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.coverage import covered
from hardy_gauge.queries.ledger import ledger
from hardy_gauge.queries.ledger_question import LedgerQuestion
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.store.database import Store
from tests.queries.builder import HOUR, NOW, Built


@pytest.fixture
def built(store: Store) -> Built:
    return Built(store)


def rate(built: Built, focus: Span) -> float:
    (row,) = statement_rows(built.reader, Window(focus, following=True), "a").rows
    return row.calls_per_s


@pytest.mark.parametrize("minutes", [3, 5, 60])
def test_a_window_that_reaches_the_present(built: Built, minutes: int) -> None:
    """The last minute is not over: it is left out of the calls and of the seconds."""
    server, statement = built.server("a"), built.statement("SELECT 1")
    built.minutes(server, NOW - 2 * HOUR_US, NOW - 40_000_000, 1.0)
    built.calls(server, statement, NOW - 2 * HOUR_US, NOW - 40_000_000, 27.9, 0.01)
    assert rate(built, Span(NOW - minutes * MINUTE_US, NOW)) == pytest.approx(27.9)


def test_sampling_that_is_off_is_no_gap_of_the_counters(built: Built) -> None:
    server, statement = built.server("a"), built.statement("SELECT 1")
    built.minutes(server, HOUR.since_us, NOW, 1.0)
    built.calls(server, statement, HOUR.since_us, NOW, 10.0, 0.01)
    built.gap(server, "not sampled", HOUR.since_us, NOW - MINUTE_US)
    assert rate(built, HOUR) == pytest.approx(10.0)
    servers = servers_in(built.reader, "a")
    assert covered(built.reader, servers, HOUR, "samples")[server] == pytest.approx(60.0)
    assert covered(built.reader, servers, HOUR, "counters")[server] == pytest.approx(3600.0)


def test_gaps_that_overlap_are_subtracted_once(built: Built) -> None:
    server = built.server("a")
    built.sessions(server, HOUR, 1)
    built.gap(server, "gap", NOW - 40 * MINUTE_US, NOW - 20 * MINUTE_US)
    built.gap(server, "paused", NOW - 35 * MINUTE_US, NOW - 20 * MINUTE_US)
    built.gap(server, "gap", NOW - 30 * MINUTE_US, NOW - 25 * MINUTE_US)
    assert covered(built.reader, servers_in(built.reader, "a"), HOUR, "samples")[server] == pytest.approx(2400.0)


def test_what_was_never_sampled_is_not_known(built: Built) -> None:
    """A server from files has statements and no samples: no session is not the same as no look."""
    server, statement = built.server("a", abilities=[]), built.statement("SELECT 1")
    built.calls(server, statement, HOUR.since_us, NOW, 10.0, 0.01)
    found = ledger(built.reader, Window(HOUR), "a", LedgerQuestion())
    assert found.seconds == 0 and "is not known" in found.sentence
    listed = statement_rows(built.reader, Window(HOUR), "a")
    assert "sessions were not looked at" in listed.blind and listed.rows[0].calls_per_s == pytest.approx(10.0)


def test_servers_recorded_for_different_times_count_by_their_own(built: Built) -> None:
    """One of two was recorded for a quarter of the hour only: its rate is not a quarter."""
    a, b = built.server("a"), built.server("b")
    statement = built.statement("SELECT 1")
    late = Span(NOW - 15 * MINUTE_US, NOW)
    for server, span in ((a, HOUR), (b, late)):
        built.minutes(server, span.since_us, NOW, 1.0)
        built.calls(server, statement, span.since_us, NOW, 10.0, 0.01)
        built.sessions(server, span, 2, statement)
    (row,) = statement_rows(built.reader, Window(HOUR), "quay").rows
    assert row.calls_per_s == pytest.approx(20.0)
    found = ledger(built.reader, Window(HOUR), "quay", LedgerQuestion(against="server"))
    assert found.active_sessions == pytest.approx(4.0, rel=0.01)
    assert found.entries[0].low <= 4.0 <= found.entries[0].high


def test_minutes_in_several_rows_count_once(built: Built) -> None:
    """Counters read every ten seconds follow each other; figures of two files lie beside each other."""
    server = built.server("a")
    at = HOUR.since_us
    often = {"at_us": [at] * 6, "span_s": [10.0] * 6, "time_s": [20.0] * 6, "calls": [100.0] * 6}
    built.rows(server, "metric", pl.DataFrame(often))
    beside = {"at_us": [at + MINUTE_US] * 2, "span_s": [60.0] * 2, "time_s": [60.0] * 2, "calls": [300.0] * 2}
    built.rows(server, "metric", pl.DataFrame(beside))
    _, values = built.reader.figure(server, "active_sessions", HOUR)
    assert values.tolist() == pytest.approx([2.0, 2.0])
    assert covered(built.reader, servers_in(built.reader, "a"), HOUR, "counters")[server] == pytest.approx(120.0)


def test_samples_that_begin_later_than_the_figures(built: Built) -> None:
    """Sessions were not looked at before the first sample, however far back the figures go."""
    server = built.server("a")
    built.minutes(server, HOUR.since_us, NOW, 1.0)
    built.sessions(server, Span(NOW - 20 * MINUTE_US, NOW), 1)
    assert covered(built.reader, servers_in(built.reader, "a"), HOUR, "samples")[server] == pytest.approx(1200.0)


def test_a_server_never_seen_busy_was_looked_at_since_the_oldest_sample(built: Built) -> None:
    """Figures of five weeks beside samples of one: an idle server is not taken for one that was idle all the time."""
    idle, busy = built.server("idle"), built.server("busy")
    for server in (idle, busy):
        built.minutes(server, HOUR.since_us, NOW, 0.0)
    built.sessions(busy, Span(NOW - 20 * MINUTE_US, NOW), 1)
    seconds = covered(built.reader, servers_in(built.reader, "quay"), HOUR, "samples")
    assert seconds == {idle: pytest.approx(1200.0), busy: pytest.approx(1200.0)}
