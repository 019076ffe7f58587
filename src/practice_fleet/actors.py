"""Sessions beside those of the applications that do one thing for long: a backup, a schema change, a report that goes on for hours.

They are few and are followed one by one: when each is on, what it waits for, and for whom. One that does nothing keeps a
transaction open.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from practice_fleet.physics.locks import Hold
from practice_fleet.scenario.work import StatementSpec

FOR_GOOD_S = 1e12  # between two beginnings of what happens once


@dataclass(frozen=True)
class Actor:
    """``times`` says when it is on; ``events`` is the share of that time at each wait event, none for one that does nothing.

    ``waits_for`` is the key of another that it waits for.
    """

    key: str
    sql: str
    user: str
    service: str
    times: Hold
    events: Mapping[str, float]
    waits_for: str | None = None

    @property
    def idles(self) -> bool:
        return not self.events

    @property
    def statement(self) -> StatementSpec:
        """What it runs, as a statement of the server that nobody else calls."""
        return StatementSpec(sql=self.sql, service=self.service, user=self.user, rate=1e-9, rhythm="none")

    def began_us(self, at_us: int) -> int | None:
        """When the turn began that is on at a moment."""
        age_s = float(self.times.age_s(at_us / 1e6))
        return at_us - int(age_s * 1e6) if age_s >= 0 else None

    def main_event(self) -> str:
        return max(self.events, key=lambda event: self.events[event])
