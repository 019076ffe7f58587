"""Rhythms follow the clocks of the people: their zone, summer time, holidays."""

from __future__ import annotations

from datetime import UTC, date, datetime

import numpy as np
import pytest
from pydantic import ValidationError

from practice_fleet.rhythms import local_us, rhythm
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.work import RhythmSpec
from tests.practice.shelf import document

HOURS = [float(hour) + 1 for hour in range(24)]


def at(*moment: int) -> np.ndarray:
    return np.array([int(datetime(*moment, tzinfo=UTC).timestamp() * 1e6)])  # type: ignore[arg-type, misc]


@pytest.mark.parametrize(
    ("utc", "zone", "hour"),
    [
        # Lisbon turned its clocks on 29 March and 25 October 2026 at 01:00 UTC (IANA time zone database)
        ((2026, 3, 29, 0, 30), "Europe/Lisbon", 0),
        ((2026, 3, 29, 1, 30), "Europe/Lisbon", 2),
        ((2026, 10, 25, 0, 30), "Europe/Lisbon", 1),
        ((2026, 10, 25, 1, 30), "Europe/Lisbon", 1),
        ((2026, 7, 1, 12, 0), "Asia/Kolkata", 17),  # 5:30 ahead, no summer time
        ((2026, 7, 1, 12, 0), "UTC", 12),
    ],
)
def test_the_hour_on_the_clocks(utc: tuple[int, ...], zone: str, hour: int) -> None:
    assert local_us(at(*utc), zone)[0] // 3_600_000_000 % 24 == hour
    shape = rhythm(RhythmSpec(hours=HOURS), at(*utc), zone)
    assert shape[0] == pytest.approx(
        np.interp(local_us(at(*utc), zone)[0] / 3.6e9 % 24 - 0.5, np.arange(24), HOURS), abs=1.0
    )


def test_a_holiday_is_like_a_sunday_or_what_is_said_of_it() -> None:
    friday = at(2026, 12, 25, 12)
    weekdays = [1.0, 1, 1, 1, 1, 0.5, 0.2]
    plain = RhythmSpec(hours=[1.0] * 24, weekdays=weekdays)
    assert rhythm(plain, friday)[0] == 1.0
    assert rhythm(plain, friday, holidays=[date(2026, 12, 25)])[0] == pytest.approx(0.2)
    assert rhythm(plain.model_copy(update={"holiday": 0.05}), friday, holidays=[date(2026, 12, 25)])[
        0
    ] == pytest.approx(0.05)
    late = at(2026, 12, 25, 20)  # already the 26th in Auckland
    assert rhythm(plain, late, "Pacific/Auckland", [date(2026, 12, 25)])[0] == 0.5


def test_a_zone_that_is_none_is_refused() -> None:
    with pytest.raises(ValidationError, match="IANA time zone was expected"):
        Scenario.model_validate(document(time_zone="Quillhaven/Harbour"))
