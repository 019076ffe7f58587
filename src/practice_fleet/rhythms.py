"""How much of the top rate there is at a moment: the hour and the weekday where people live, summer time and holidays included."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from functools import cache
from zoneinfo import ZoneInfo

import numpy as np

from practice_fleet.physics.queueing import Array
from practice_fleet.scenario.work import RhythmSpec

HOUR_US = 3_600_000_000
DAY_US = 24 * HOUR_US
MONDAY_US = 4 * DAY_US  # 1970-01-05 was a Monday
SUNDAY = 6


@cache
def _ahead_us(zone: str, hour: int) -> int:
    """How far local time is ahead of UTC in an hour of the epoch."""
    there = datetime.fromtimestamp(hour * 3600, ZoneInfo(zone)).utcoffset()
    return int(there.total_seconds() * 1e6) if there else 0


def local_us(at_us: np.ndarray, zone: str) -> np.ndarray:
    """The time on the clocks there, as if it were UTC."""
    if zone == "UTC":
        return at_us
    hours, which = np.unique(at_us // HOUR_US, return_inverse=True)
    return np.asarray(at_us + np.array([_ahead_us(zone, int(hour)) for hour in hours])[which])


def rhythm(spec: RhythmSpec, at_us: np.ndarray, zone: str = "UTC", holidays: Sequence[date] = ()) -> Array:
    """Share of the top rate at each moment (µs, UTC)."""
    there = local_us(at_us, zone)
    hour = there % DAY_US / HOUR_US
    weekday = (there - MONDAY_US) // DAY_US % 7
    if 0 in spec.hours:  # a job with a start and an end, not a tide
        shape = np.array(spec.hours)[hour.astype(int)]
    else:
        shape = np.interp(hour - 0.5, np.arange(-1, 25), [spec.hours[-1], *spec.hours, spec.hours[0]])
    days, which = np.unique(there // DAY_US, return_inverse=True)
    free = np.isin(days, [(day - date(1970, 1, 1)).days for day in holidays])[which]
    on_holidays = spec.weekdays[SUNDAY] if spec.holiday is None else spec.holiday
    shape = shape * np.where(free, on_holidays, np.array(spec.weekdays)[weekday])
    if spec.month_days:
        shape = shape * np.array([_on_day(int(day), spec.month_days) for day in days])[which]
    return np.asarray(shape)


def _on_day(day: int, wanted: list[int]) -> float:
    on = datetime.fromtimestamp(day * 86_400, UTC)
    following = on + timedelta(days=1)
    return float(on.day in wanted or (-1 in wanted and following.month != on.month))
