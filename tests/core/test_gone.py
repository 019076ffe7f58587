"""When something that came again and again stopped coming."""

from __future__ import annotations

import pytest

from hardy_gauge.core.changes.gone import stopped_at
from hardy_gauge.core.time.span import MINUTE_US


@pytest.mark.parametrize(
    ("minutes", "pause", "away", "stopped"),
    [(10, 1, 30, True), (10, 1, 29, False), (9, 1, 500, False), (60, 10, 50, True), (60, 10, 49, False), (60, 0, 30, True)],
)  # fmt: skip
def test_away_for_half_an_hour_and_five_pauses(minutes: int, pause: int, away: int, stopped: bool) -> None:
    last = 1000 * MINUTE_US
    found = stopped_at(minutes, pause * MINUTE_US, last, last + away * MINUTE_US)
    assert found == (last if stopped else None)
