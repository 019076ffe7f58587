"""Recurrences in made calendars with jitter, missing runs and summer time; and how often one is invented where there is none."""

from __future__ import annotations

import random
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest

from hardy_gauge.core.reference.recurrences import JobRun, Recurrence, recurrence_of, runs_of, state_of

US = 1_000_000
ZONE = ZoneInfo("Europe/Dublin")  # a zone with summer time
START = date(2026, 1, 5)
CALENDARS = {
    "daily": (35, lambda day: True), "weekday": (35, lambda day: day.weekday() < 5), "weekly": (84, lambda day: day.weekday() == 2),
    "monthly date": (190, lambda day: day.day == 14), "monthly end": (190, lambda day: (day + timedelta(days=1)).day == 1),
    "monthly weekday": (190, lambda day: day.weekday() == 4 and 8 <= day.day <= 14), "monthly start": (190, lambda day: day.day == 1),
}  # fmt: skip


def local(day: date, minute: int) -> int:
    at = datetime(day.year, day.month, day.day, minute // 60, minute % 60, tzinfo=ZONE)
    return int(at.timestamp() * US)


def made(kind: str, draw: random.Random, begin: date = START) -> tuple[list[JobRun], int, int]:
    """Runs of a job with jitter of some minutes, of which one in twelve is missing; what was looked at."""
    days, due = CALENDARS[kind]
    minute = draw.choice([5, 120, 400, 1000, 1430])
    runs = []
    for n in range(days):
        day = begin + timedelta(days=n)
        if due(day) and draw.random() > 1 / 12:
            since = local(day, minute) + int(draw.gauss(0, 4) * 60 * US)
            runs.append(JobRun(since, since + int(draw.uniform(900, 1500) * US)))
    return runs, local(begin, 0), local(begin + timedelta(days=days), 0)


@pytest.mark.parametrize("kind", list(CALENDARS))
def test_calendars_are_found(kind: str) -> None:
    draw, found = random.Random(f"found {kind}"), 0
    rounds = 40
    for n in range(rounds):
        runs, since, until = made(kind, draw, START + timedelta(days=9 * n))
        known = recurrence_of(runs, since, until, ZONE)
        found += known is not None and known.kind == kind
    assert found >= 0.95 * rounds, found


def test_none_is_invented_in_runs_at_random() -> None:
    draw, invented, rounds = random.Random("noise"), 0, 300
    since, until = local(START, 0), local(START + timedelta(days=35), 0)
    for _ in range(rounds):
        starts = sorted(draw.uniform(since, until) for _ in range(draw.randint(3, 40)))
        runs = [JobRun(int(one), int(one) + 600 * US) for one in starts]
        invented += recurrence_of(runs, since, until, ZONE) is not None
    assert invented <= 0.01 * rounds, invented


def test_a_job_at_two_stays_one_job_when_summer_time_begins() -> None:
    begin = date(2026, 3, 15)  # it begins on 29 March
    runs = [JobRun(local(begin + timedelta(days=n), 150), local(begin + timedelta(days=n), 180)) for n in range(30)]
    found = recurrence_of(runs, local(begin, 0), local(begin + timedelta(days=30), 0), ZONE)
    assert found is not None and (found.kind, found.clock, found.spread_min) == ("daily", "02:30", 5.0)
    utc = recurrence_of(runs, local(begin, 0), local(begin + timedelta(days=30), 0), ZoneInfo("UTC"))
    assert utc is None or utc.spread_min > 20, "by another zone it is two"


def known(missing: int = 0, last_s: float = 1200.0) -> tuple[Recurrence, int]:
    """A daily job at 02:00 whose last ``missing`` runs did not come; looked at until 04:00."""
    days = 20
    runs = [
        JobRun(local(START + timedelta(days=n), 120), local(START + timedelta(days=n), 140))
        for n in range(days - missing)
    ]
    runs[-1] = JobRun(runs[-1].since_us, runs[-1].since_us + int(last_s * US))
    until = local(START + timedelta(days=days - 1), 240)
    found = recurrence_of(runs, local(START, 0), until, ZONE)
    assert found is not None
    return found, until


def test_what_is_said_of_the_last_run() -> None:
    usual, until = known()
    assert (usual.words, usual.clock, usual.hits, list(usual.missed)) == ("every day", "02:00", 20, [])
    assert usual.length_s == pytest.approx(1200.0) and usual.next_us == local(START + timedelta(days=20), 120)
    assert state_of(usual, until, ZONE) == "as usual"
    missing, until = known(missing=1)
    assert state_of(missing, until, ZONE) == "late"
    assert state_of(missing, until + 10 * 3600 * US, ZONE) == "missed the last time"
    longer, until = known(last_s=4000.0)
    assert state_of(longer, until, ZONE) == "took longer than usual"


def test_runs_from_minutes_of_work() -> None:
    minute = 60 * US
    runs = runs_of([0, minute, 2 * minute, 30 * minute], minute, 5 * minute)
    assert [(one.since_us, one.until_us) for one in runs] == [(0, 3 * minute), (30 * minute, 31 * minute)]
    assert runs_of([], minute, minute) == [] and recurrence_of(runs, 0, 40 * minute, ZONE) is None
