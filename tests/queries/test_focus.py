"""What is said of a focus: its steps and how far back is kept."""

from __future__ import annotations

from hardy_gauge.core.time.span import DAY_US, MINUTE_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.focus import focus_of
from hardy_gauge.store.database import Store
from hardy_gauge.store.limits import Limits, set_limits
from tests.queries.builder import HOUR, NOW, Built


def test_steps_and_what_is_kept(store: Store) -> None:
    built = Built(store)
    assert focus_of(built.reader, Window(HOUR)).step_us == MINUTE_US
    with store.write() as session:
        set_limits(session, Limits(sample_days=7))
    month = focus_of(built.reader, Window(Span(NOW - 30 * DAY_US, NOW)))
    assert month.step_us == 120 * MINUTE_US and month.longest_us == 40 * DAY_US
    assert (
        month.words
        == "Figures are drawn in steps of 2.00 h. Looks at sessions are kept for 7 days, minutes of figures for 400."
    )
