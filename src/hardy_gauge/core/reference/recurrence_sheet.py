"""The sheet of recurrences."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


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
