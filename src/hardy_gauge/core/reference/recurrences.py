"""Recurrences: jobs that come back by the calendar, learnt from when they ran.

A run is a stretch of work of one kind. A calendar says on which local dates a job is due: daily, on weekdays, weekly, monthly by date or
by weekday, at the end of the month. The calendar that explains most runs with the fewest dates missed is taken, the simplest of those
that do as well. Local time is that of a zone, so that a job at 02:00 stays one job when summer time begins.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np

US = 1_000_000
DAY_MIN = 24 * 60
FEWEST = {"daily": 5, "weekday": 5, "weekly": 3, "monthly": 3}
EXPLAINED, KEPT = 0.8, 0.6  # of the runs that a calendar explains; of its dates that had a run
APART_MIN = 45.0  # minutes from the usual time of day within which a run is on time
LATE_S = 3 * 3600.0  # after it was due: then it is not late any more but missed
LEAST_SPREAD_MIN = 5.0
DAYS = ("Mondays", "Tuesdays", "Wednesdays", "Thursdays", "Fridays", "Saturdays", "Sundays")
ORDINALS = ("first", "second", "third", "fourth", "last")


@dataclass(frozen=True)
class JobRun:
    since_us: int
    until_us: int

    @property
    def seconds(self) -> float:
        return (self.until_us - self.since_us) / US


@dataclass(frozen=True)
class Calendar:
    """``words`` is how a person says it; ``due`` whether a job is due on a local date."""

    kind: str
    words: str
    due: Callable[[date], bool]


@dataclass(frozen=True)
class Recurrence:
    """``minute`` of the local day at which it usually begins, with its spread; ``length_s`` usual, up to ``longest_s`` nine times of ten.
    ``hits`` dates had a run, ``missed`` had none; ``next_us`` is when it is due next.
    """

    kind: str
    words: str
    minute: float
    spread_min: float
    length_s: float
    longest_s: float
    hits: int
    missed: Sequence[date]
    last: JobRun
    next_us: int

    @property
    def clock(self) -> str:
        """ "02:00"."""
        minute = round(self.minute) % DAY_MIN
        return f"{minute // 60:02d}:{minute % 60:02d}"


def runs_of(times_us: Sequence[int], step_us: int, pause_us: int) -> list[JobRun]:
    """Stretches of work from the moments at which there was some; a pause longer than ``pause_us`` ends one."""
    if not times_us:
        return []
    cuts = [i + 1 for i, (one, other) in enumerate(pairwise(times_us)) if other - one > pause_us]
    edges = [0, *cuts, len(times_us)]
    return [JobRun(times_us[a], times_us[b - 1] + step_us) for a, b in pairwise(edges)]


def recurrence_of(runs: Sequence[JobRun], since_us: int, until_us: int, zone: ZoneInfo) -> Recurrence | None:
    """The calendar of a job over the time looked at; None where its runs have none."""
    if len(runs) < min(FEWEST.values()):
        return None
    local = [datetime.fromtimestamp(run.since_us / US, zone) for run in runs]
    minute = _middle([at.hour * 60 + at.minute + at.second / 60 for at in local])
    apart = [_apart(at.hour * 60 + at.minute + at.second / 60, minute) for at in local]
    on_time = [i for i, one in enumerate(apart) if abs(one) <= APART_MIN]
    if len(on_time) < EXPLAINED * len(runs):
        return None
    # a job around midnight belongs to the day on which it is due
    days = {(local[i] - timedelta(minutes=apart[i])).date(): runs[i] for i in on_time}
    first, last = _covered(since_us, until_us, minute, zone)
    best: tuple[float, Calendar, list[date], list[date]] | None = None
    for calendar in _calendars(days):
        due = [day for day in _dates(first, last) if calendar.due(day)]
        hits = [day for day in due if day in days]
        explained, kept = len(hits) / len(runs), len(hits) / max(len(due), 1)
        if len(hits) < FEWEST[calendar.kind.split(" ")[0]] or explained < EXPLAINED or kept < KEPT:
            continue
        score = 2 * explained * kept / (explained + kept)
        if best is None or score > best[0] + 0.02:
            best = score, calendar, hits, [day for day in due if day not in days]
    if best is None:
        return None
    _, calendar, hits, missed = best
    lengths = np.array([days[day].seconds for day in hits])
    spread = max(LEAST_SPREAD_MIN, float(np.std([apart[i] for i in on_time])))
    return Recurrence(
        calendar.kind, calendar.words, minute % DAY_MIN, spread, float(np.median(lengths)), float(np.quantile(lengths, 0.9)), len(hits),
        missed, runs[-1], _next(calendar, minute, until_us, zone),
    )  # fmt: skip


def _middle(minutes: Sequence[float]) -> float:
    """The median of times of day, on a circle of a day: of the turns of the clock the one with the smallest spread."""
    turns = [np.array([(one - cut) % DAY_MIN + cut for one in minutes]) for cut in (0.0, DAY_MIN / 2)]
    narrow = min(turns, key=lambda turn: float(np.median(np.abs(turn - np.median(turn)))))
    return float(np.median(narrow)) % DAY_MIN


def _apart(minute: float, middle: float) -> float:
    return (minute - middle + DAY_MIN / 2) % DAY_MIN - DAY_MIN / 2


def _covered(since_us: int, until_us: int, minute: float, zone: ZoneInfo) -> tuple[date, date]:
    """The first and the last local date whose usual time lies in what was looked at."""
    since, until = (datetime.fromtimestamp(at / US, zone) for at in (since_us, until_us))
    first = since.date() + timedelta(days=since.hour * 60 + since.minute > minute)
    last = until.date() - timedelta(days=until.hour * 60 + until.minute < minute + APART_MIN)
    return first, last


def _dates(first: date, last: date) -> Iterable[date]:
    return (first + timedelta(days=n) for n in range((last - first).days + 1))


def _calendars(days: Iterable[date]) -> Iterable[Calendar]:
    """Those that any of the dates suggests, the simplest first."""
    known = sorted(days)
    yield Calendar("daily", "every day", lambda day: True)
    yield Calendar("weekday", "on weekdays", lambda day: day.weekday() < 5)
    for n in sorted({day.weekday() for day in known}):
        yield Calendar("weekly", f"on {DAYS[n]}", lambda day, n=n: day.weekday() == n)  # type: ignore[misc]
    yield Calendar("monthly end", "on the last day of the month", _is_last)
    yield Calendar("monthly start", "on the first day of the month", lambda day: day.day == 1)
    for n in sorted({day.day for day in known}):
        yield Calendar("monthly date", f"on day {n} of the month", lambda day, n=n: day.day == n)  # type: ignore[misc]
    for place, n in sorted({(_place(day), day.weekday()) for day in known}):
        words = f"on the {ORDINALS[place]} {DAYS[n].removesuffix('s')} of the month"
        yield Calendar("monthly weekday", words, lambda day, p=place, n=n: day.weekday() == n and _place(day) == p)  # type: ignore[misc]


def _is_last(day: date) -> bool:
    return (day + timedelta(days=1)).day == 1


def _place(day: date) -> int:
    """Which of its weekdays in its month it is; the last one counts as the last."""
    return 4 if (day + timedelta(days=7)).month != day.month else (day.day - 1) // 7


def _next(calendar: Calendar, minute: float, until_us: int, zone: ZoneInfo) -> int:
    """The next moment at which it is due."""
    today = datetime.fromtimestamp(until_us / US, zone).date()
    for n in range(400):
        day = today + timedelta(days=n)
        at = datetime.combine(day, time(int(minute) // 60 % 24, int(minute) % 60), zone)
        if calendar.due(day) and at.timestamp() * US > until_us:
            return int(at.timestamp() * US)
    return until_us


def state_of(found: Recurrence, until_us: int, zone: ZoneInfo) -> str:
    """ "running", "late", "missed the last time", "took longer than usual", or "as usual"."""
    if until_us - found.last.until_us < 2 * 60 * US and found.last.seconds < found.longest_s * 2:
        return "running"
    missed = max(found.missed, default=None)
    last_day = datetime.fromtimestamp(found.last.since_us / US, zone).date()
    if missed is not None and missed > last_day:
        due = datetime.combine(missed, time(int(found.minute) // 60 % 24, int(found.minute) % 60), zone).timestamp()
        return "late" if until_us / US - due < LATE_S else "missed the last time"
    return "took longer than usual" if found.last.seconds > 1.5 * max(found.longest_s, 60.0) else "as usual"
