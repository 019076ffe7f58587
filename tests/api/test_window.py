"""Windows in addresses: intervals, durations, and the hours that "usual" compares with."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from hardy_gauge.api.problems import Problem
from hardy_gauge.api.window import DAY_US, Span, Window, iso, parse_focus, parse_span

NOW = int(datetime(2026, 11, 23, 12, tzinfo=UTC).timestamp() * 1e6)  # a Monday
HOUR_US = 3_600_000_000


@pytest.mark.parametrize(("text", "hours"), [("PT1H", 1), ("PT90M", 1.5), ("P2D", 48), ("P1DT2H", 26)])
def test_durations_end_now(text: str, hours: float) -> None:
    span, following = parse_focus(text, NOW)
    assert following and span.until_us == NOW and span.seconds == hours * 3600


def test_intervals_with_any_offset() -> None:
    span = parse_span("2026-11-23T10:00:00+02:00/2026-11-23T09:30:00Z", "focus")
    assert span.iso() == "2026-11-23T08:00:00Z/2026-11-23T09:30:00Z"
    assert parse_focus(span.iso(), NOW) == (span, False)
    assert iso(NOW) == "2026-11-23T12:00:00Z"


@pytest.mark.parametrize(
    "text", ["", "P", "PT", "PT0M", "P60D", "yesterday", "a/b", "2026-11-23T10:00:00Z", "2026-13-01/2026-14-01"]
)
def test_impossible_windows_name_the_field(text: str) -> None:
    with pytest.raises(Problem) as problem:
        parse_focus(text, NOW)
    assert problem.value.field == "focus" and problem.value.status == 422


def test_usual_compares_with_the_same_hours_of_days_of_the_same_kind() -> None:
    monday = Window(Span(NOW - HOUR_US, NOW), None, True)
    days = [(monday.focus.since_us - s.since_us) // DAY_US for s in monday.reference_spans]
    assert days == [3, 4, 5, 6, 7], "Friday back to Monday; not Sunday and Saturday"
    saturday = Window(monday.focus.moved(5 * DAY_US), None, True)
    assert [(saturday.focus.since_us - s.since_us) // DAY_US for s in saturday.reference_spans] == [6, 7]


def test_a_named_reference_is_the_only_one() -> None:
    other = Span(NOW - 5 * HOUR_US, NOW - 4 * HOUR_US)
    assert Window(Span(NOW - HOUR_US, NOW), other, False).reference_spans == [other]


def test_usual_of_a_long_focus_never_overlaps_it() -> None:
    window = Window(Span(NOW - 3 * DAY_US, NOW), None, True)
    assert all(s.until_us <= window.focus.since_us for s in window.reference_spans)
