"""The default reference: the same everywhere, robust against earlier troubles, and it says from how many spans."""

from __future__ import annotations

import numpy as np
import pytest

from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, SECOND_US, Span
from hardy_gauge.core.time.window import Reference, Window
from hardy_gauge.queries import ledger_reference
from hardy_gauge.queries.gauges import gauge
from hardy_gauge.queries.ledger import ledger
from hardy_gauge.queries.ledger_question import LedgerQuestion
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.queries.tape import tape, usual_of_sum
from hardy_gauge.store.database import Store
from tests.queries.builder import HOUR, NOW, Built, earlier

WEEKS = [7, 14, 21, 28]
QUIET, TROUBLE = 0.3, 40.0


@pytest.fixture
def built(store: Store) -> Built:
    return Built(store)


def quiet_with_a_bad_tuesday(built: Built) -> int:
    """A server that has 0.3 active sessions, but had 40 for half a day a week ago."""
    server, statement = built.server("archive-a"), built.statement("SELECT page")
    bad = Span(NOW - 7 * DAY_US - 6 * HOUR_US, NOW - 7 * DAY_US + 6 * HOUR_US)
    loaded = lambda at: np.where((at >= bad.since_us) & (at < bad.until_us), TROUBLE, QUIET)  # noqa: E731
    built.minutes(server, NOW - 30 * DAY_US, NOW, loaded)
    for span in [HOUR, *earlier(WEEKS, HOUR)]:
        troubled = span.since_us >= bad.since_us and span.until_us <= bad.until_us
        built.calls(server, statement, span.since_us, span.until_us, 10.0, (TROUBLE if troubled else QUIET) / 10)
        built.sessions(server, span, 40 if troubled else 1, statement)
    return server


def test_a_bad_day_does_not_move_the_reference(built: Built) -> None:
    server = quiet_with_a_bad_tuesday(built)
    window = Window(HOUR, Reference(), True)
    listed = statement_rows(built.reader, window, "archive-a")
    (row,) = listed.rows
    assert row.reference_time_per_call_s is not None
    assert row.reference_time_per_call_s.value == pytest.approx(QUIET / 10), "the mean would be 1.02 s"
    assert row.difference == "as usual" and row.reference_time_per_call_s.spans == 3
    assert listed.reference_note == (
        "Compared with a typical day: the median of 3 earlier Tuesdays; 1 with known trouble left out."
    )
    found = ledger(built.reader, window, "archive-a", LedgerQuestion())
    assert found.reference is not None and found.reference.value == pytest.approx(1.0, rel=0.01)
    assert found.entries[0].difference == "as usual" and found.mosaic.columns[0].cells[0].reference == pytest.approx(
        1.0, rel=0.01
    )
    assert found.stack.reference is not None
    known = [value for value in found.stack.reference if value is not None]
    assert known and max(known) == pytest.approx(1.0, rel=0.05)
    centre = gauge(built.reader, server, "active_sessions", HOUR).centre
    assert centre == pytest.approx(QUIET, rel=0.02), "the gauge says the same"


def test_the_tape_and_the_gauge_leave_the_bad_day_out_of_their_band(built: Built) -> None:
    server = quiet_with_a_bad_tuesday(built)
    found = gauge(built.reader, server, "active_sessions", HOUR)
    assert found.high is not None and found.high < 1.0, "twice the usual would not be called usual"
    strip = tape(built.reader, "archive-a", "PT2H")
    assert max(value for value in strip.usual_high if value is not None) < 1.0


def test_the_range_of_a_cluster_is_that_of_its_sum(built: Built) -> None:
    """Two servers that swing against each other: the sum is steady, the sum of their quantiles is not."""
    swing = np.random.default_rng(3).choice([-8.0, 8.0], 40)
    for name, sign in (("a", 1), ("b", -1)):
        server = built.server(name)
        load = lambda at, sign=sign: 20 + sign * swing[(at - at[0]) // DAY_US]  # noqa: E731
        built.minutes(server, NOW - 30 * DAY_US, NOW, load)
    servers = servers_in(built.reader, "quay")
    usual, of = usual_of_sum(built.reader, servers)
    assert of == {server.id for server in servers}
    at = np.array([NOW - 6 * HOUR_US])
    low, centre, high = (float(part[0]) for part in usual.at(at))
    assert (
        centre == pytest.approx(40.0, rel=0.01)
        and low == pytest.approx(34.0, rel=0.01)
        and high == pytest.approx(46.0, rel=0.01)
    )
    parts = [built.reader.usual(server.id, "active_sessions").at(at)[2][0] for server in servers]
    assert sum(parts) > 54, "the sum of the quantiles is further out"


def test_few_weeks_are_filled_up_with_days_of_the_kind(built: Built) -> None:
    server, statement = built.server("a"), built.statement("SELECT 1")
    for span in [HOUR, *earlier([1, 2, 3, 4, 7], HOUR)]:
        built.minutes(server, span.since_us, span.until_us, 1.0)
        built.calls(server, statement, span.since_us, span.until_us, 10.0, 0.1)
    listed = statement_rows(built.reader, Window(HOUR), "a")
    assert listed.reference_note == "Compared with a typical day: the median of 3 earlier weekdays."


def test_without_an_earlier_day_there_is_no_reference(built: Built) -> None:
    server, statement = built.server("a"), built.statement("SELECT 1")
    built.minutes(server, HOUR.since_us, HOUR.until_us, 1.0)
    built.calls(server, statement, HOUR.since_us, HOUR.until_us, 10.0, 0.1)
    listed = statement_rows(built.reader, Window(HOUR), "a")
    assert listed.rows[0].difference == "no reference" and "nothing typical" in listed.reference_note


def test_another_server_can_be_the_reference(built: Built) -> None:
    for name, each in (("a", 0.2), ("b", 0.1)):
        server = built.server(name)
        built.minutes(server, HOUR.since_us, HOUR.until_us, each * 10)
        built.calls(server, built.statement("SELECT x") if name == "a" else 1, HOUR.since_us, HOUR.until_us, 10.0, each)
    listed = statement_rows(built.reader, Window(HOUR, Reference("server", server="b")), "a")
    assert listed.rows[0].difference == "2× b"
    assert listed.reference_note == "Compared with b over the same time."


def test_a_server_left_out_counts_with_its_own_median(built: Built) -> None:
    """Of two servers one was not recorded on one of the days: the sum of that day is not taken for a small one."""
    a, b = built.server("a"), built.server("b")
    statement = built.statement("SELECT 1")
    for i, span in enumerate([HOUR, *earlier(WEEKS, HOUR)]):
        for server in (a, b):
            if server == b and i == 2:
                continue
            built.minutes(server, span.since_us, span.until_us, 1.0)
            built.calls(server, statement, span.since_us, span.until_us, 10.0, 0.1)
    (row,) = statement_rows(built.reader, Window(HOUR), "quay").rows
    assert row.reference_calls_per_s is not None
    assert (row.reference_calls_per_s.low, row.reference_calls_per_s.high) == pytest.approx((20.0, 20.0))
    assert row.calls_per_s == pytest.approx(20.0)


def test_each_server_is_compared_with_the_days_it_has(built: Built) -> None:
    """Of one server five Tuesdays are known, of the other three days of this week: neither goes without reference."""
    long, short = built.server("long"), built.server("short")
    statement = built.statement("SELECT 1")
    for server, days in ((long, [0, 7, 14, 21, 28]), (short, [0, 1, 4, 5])):
        for span in earlier(days, HOUR):
            built.minutes(server, span.since_us, span.until_us, 1.0)
            built.calls(server, statement, span.since_us, span.until_us, 10.0, 0.1)
    listed = statement_rows(built.reader, Window(HOUR), "quay")
    assert listed.rows[0].reference_calls_per_s is not None
    assert listed.rows[0].reference_calls_per_s.value == pytest.approx(20.0)
    assert "weekdays" in listed.reference_note


def test_the_note_names_servers_without_a_reference(built: Built) -> None:
    old, new = built.server("old"), built.server("new")
    statement = built.statement("SELECT 1")
    for server, days in ((old, [0, 7, 14, 21]), (new, [0])):
        for span in earlier(days, HOUR):
            built.minutes(server, span.since_us, span.until_us, 1.0)
            built.calls(server, statement, span.since_us, span.until_us, 10.0, 0.1)
    note = statement_rows(built.reader, Window(HOUR), "quay").reference_note
    assert note.endswith("Nothing earlier is known of new, so the reference is without it.")


def test_a_window_that_moves_on_is_compared_by_the_minute(built: Built, monkeypatch: pytest.MonkeyPatch) -> None:
    """What it is compared with is made once a minute, and is what a window of that minute that stands still is compared with."""
    server, statement = built.server("a"), built.statement("SELECT page")
    built.minutes(server, NOW - 30 * DAY_US, NOW, QUIET)
    for number, span in enumerate([HOUR, *earlier(WEEKS, HOUR)]):
        wide = Span(span.since_us, span.until_us + 5 * MINUTE_US)
        built.calls(server, statement, wide.since_us, wide.until_us, 10.0, 0.01 * (number + 1))
        built.sessions(server, wide, number + 1, statement)
    made = 0
    count = "hardy_gauge.queries.ledger_reference.outline_of"
    outline = ledger_reference.outline_of

    def counted(*given: object) -> object:
        nonlocal made
        made += 1
        return outline(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(count, counted)
    whole = NOW // MINUTE_US * MINUTE_US
    still = Window(Span(whole - HOUR_US, whole))
    expected = ledger(built.reader, still, "a", LedgerQuestion())
    typical = statement_rows(built.reader, still, "a").rows[0]
    assert expected.reference is not None and typical.reference_time_per_call_s is not None and made == 1
    for second in (0, 1, 17, 59):
        until = whole + second * SECOND_US
        moving = Window(Span(until - HOUR_US, until), following=True)
        found = ledger(built.reader, moving, "a", LedgerQuestion())
        assert found.reference == expected.reference and found.entries[0].reference == expected.entries[0].reference
        assert (
            statement_rows(built.reader, moving, "a").rows[0].reference_time_per_call_s
            == typical.reference_time_per_call_s
        )
        assert found.focus == moving.focus.iso(), "what is looked at is not moved"
        assert found.stack.reference is not None and len(found.stack.reference) == len(found.stack.at_us)
    assert made == 2
    after = Window(Span(whole + MINUTE_US - HOUR_US, whole + MINUTE_US), following=True)
    ledger(built.reader, after, "a", LedgerQuestion())
    assert made == 3
    ledger(built.reader, after, "a", LedgerQuestion(by="service"))
    assert made == 4, "another question"
