"""Windows in addresses: intervals, durations, and the spans that a typical day is made of."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from hardy_gauge.core.reference.typical_day import like_spans
from hardy_gauge.core.time.span import DAY_US, HOUR_US, Span, iso
from hardy_gauge.core.time.window import BadWindow, parse_focus, parse_reference, parse_span

NOW = int(datetime(2026, 11, 23, 12, tzinfo=UTC).timestamp() * 1e6)  # a Monday


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
    "text",
    [
        "",
        "P",
        "PT",
        "PT0M",
        "P60D",
        "yesterday",
        "a/b",
        "2026-11-23T10:00:00Z",
        "2026-13-01/2026-14-01",
        "P99999999999D",
    ],
)
def test_impossible_windows_name_the_field(text: str) -> None:
    with pytest.raises(BadWindow) as problem:
        parse_focus(text, NOW)
    assert problem.value.field == "focus" and "focus" in problem.value.detail


def test_a_typical_day_is_the_same_hours_of_days_of_the_same_kind() -> None:
    monday = Span(NOW - HOUR_US, NOW)
    days = [(monday.since_us - s.since_us) // DAY_US for s in like_spans(monday)]
    assert days[:6] == [3, 4, 5, 6, 7, 10], "Friday back to Monday; not Sunday and Saturday"
    assert days[-1] == 35
    saturday = monday.moved(5 * DAY_US)
    assert [(saturday.since_us - s.since_us) // DAY_US for s in like_spans(saturday)][:3] == [6, 7, 13]


@pytest.mark.parametrize("days", [3, 8])
def test_a_long_focus_is_compared_with_whole_weeks_and_never_with_itself(days: int) -> None:
    focus = Span(NOW - days * DAY_US, NOW)
    spans = like_spans(focus)
    assert spans and all(
        s.until_us <= focus.since_us and (focus.since_us - s.since_us) % (7 * DAY_US) == 0 for s in spans
    )


@pytest.mark.parametrize(
    ("text", "kind", "name"),
    [
        ("usual", "typical day", "a typical day"),
        ("2026-11-23T10:00:00Z/2026-11-23T11:00:00Z", "window", "the reference"),
        ("server:desk-b", "server", "desk-b"),
    ],
)
def test_references_in_addresses(text: str, kind: str, name: str) -> None:
    reference = parse_reference(text)
    assert (reference.kind, reference.name) == (kind, name)


@pytest.mark.parametrize("text", ["", "server:", "yesterday"])
def test_impossible_references_name_the_field(text: str) -> None:
    with pytest.raises(BadWindow) as problem:
        parse_reference(text)
    assert problem.value.field == "reference"
