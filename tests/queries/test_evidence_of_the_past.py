"""What is known of the present only is not said of a time that is past."""

from __future__ import annotations

from hardy_gauge.core.evidence.evidence import Unknown
from hardy_gauge.core.time.span import DAY_US, HOUR_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.evidence import evidence_of
from hardy_gauge.queries.scope import server_named
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState
from tests.queries.builder import NOW, Built

PRESENT = Span(NOW - HOUR_US, NOW)


def test_a_server_that_is_down_now_was_not_down_yesterday(store: Store) -> None:
    built = Built(store)
    numbers = {name: built.server(name) for name in ("a", "b")}
    with store.write() as session:
        for number in numbers.values():
            state = session.get_one(CaptureState, number)
            state.error, state.clock_skew_s = "it refused the connection", 90.0
    now, then = (
        evidence_of(built.reader, server_named(built.reader, "a"), Window(focus))
        for focus in (PRESENT, PRESENT.moved(-DAY_US))
    )
    assert now.no_answer is not None and now.silent_beside == ["b"] and now.clock_skew_s == 90.0
    assert then.no_answer is None and then.silent_beside == [] and isinstance(then.clock_skew_s, Unknown)
