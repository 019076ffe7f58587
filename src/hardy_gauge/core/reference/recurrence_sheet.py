"""The sheet of recurrences."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from hardy_gauge.core.time.span import DAY_US, MINUTE_US, SECOND_US, Span

AROUND_US = 30 * MINUTE_US


@dataclass(frozen=True)
class JobRow:
    """A job that comes back. ``words`` is its calendar, ``clock`` its usual time in the zone asked for, ``state`` what is said of its last
    run, ``odd`` that it was not as usual; ``missed`` are dates on which it was due and did not run.
    """

    server: str
    fingerprint: str
    text: str
    service: str
    words: str
    clock: str
    spread_s: float
    length_s: float
    longest_s: float
    active_sessions: float
    hits: int
    missed: Sequence[str]
    last_us: int
    last_s: float
    state: str
    odd: bool
    next_us: int
    name: str
    dismissed: bool


@dataclass(frozen=True)
class Recurrences:
    """Those whose last run was not as usual come first; ``looked_days`` is how far back was looked."""

    sentence: str
    zone: str
    looked_days: float
    jobs: Sequence[JobRow]
    unknown: Sequence[str]


def at_its_time(job: JobRow, focus: Span) -> bool:
    """Whether a focus holds the time of day at which a job usually comes, or lies as near to it as the job varies and takes; its
    ``clock`` is UTC.
    """
    hours, minutes = (int(part) for part in job.clock.split(":"))
    usual = focus.since_us // DAY_US * DAY_US + (hours * 60 + minutes) * MINUTE_US
    room = int(max(AROUND_US, 2 * job.spread_s * SECOND_US, job.longest_s * SECOND_US))
    return any(focus.since_us - room <= usual + n * DAY_US <= focus.until_us + AROUND_US for n in (0, 1))
