"""Locks of a machine: rows that calls keep, sessions that keep rows and do nothing, and patience."""

from __future__ import annotations

from collections.abc import Generator, Iterable, Mapping
from dataclasses import dataclass, field

import simpy

from practice_fleet.actors import FOR_GOOD_S
from practice_fleet.events.randoms import Randoms
from practice_fleet.events.rows import Row, Rows
from practice_fleet.events.stations import Steps
from practice_fleet.physics.demand import Visits
from practice_fleet.physics.locks import Hold
from practice_fleet.physics.wait_events import LOCK, OBJECT, Limits

NOBODY = -1
Ends = Generator[simpy.Event, object, bool]
Holds = Mapping[int, tuple[Hold, int | None]]


@dataclass
class Locking:
    """``holds`` are idle sessions that keep rows, by number of the statement, and the statement between them."""

    env: simpy.Environment
    limits: Limits
    random: Randoms
    holds: Holds
    idle: dict[int, simpy.Event] = field(default_factory=dict)
    stuck: dict[int, list[int]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.rows = Rows(self.env)
        for number, (hold, behind) in self.holds.items():
            if behind is None:
                self.env.process(self._idle_session(number, hold))

    @property
    def idle_number(self) -> int:
        """The session that keeps rows and does nothing."""
        return int(self.limits.max_sessions)

    def rows_of(self, statement: int, visit: Visits) -> list[Row]:
        """Different rows, in one order for all calls or in any."""
        most = int(visit.hot_rows or 1)
        picked: list[int] = []
        while len(picked) < min(visit.locked_rows, most):
            row = int(self.random.uniform() * most)
            if row not in picked:
                picked.append(row)
        return [(statement, row) for row in (sorted(picked) if visit.same_order else picked)]

    def lock(self, number: int, row: Row, deadline: float, where: list[int], spent: list[float]) -> Ends:
        """Wait for a row; False when patience ends, or when waiting would close a circle."""
        env, since = self.env, self.env.now
        turn = self.rows.take(number, row)
        if turn is None:
            return True
        if self.rows.closes_circle(number, row):
            where[1], where[2] = LOCK, self.rows.holders[row]
            yield env.timeout(max(0.0, min(self.limits.deadlock_check_s, self.limits.lock_timeout_s, deadline - since)))
            where[2] = NOBODY
            spent[LOCK] += env.now - since
            if turn.triggered:
                return True
            self.rows.give_up(number, row)
            return False
        where[1], where[2] = LOCK, self.rows.holders[row]
        patience = min(self.limits.lock_timeout_s, deadline - since)
        yield turn if patience == float("inf") else turn | env.timeout(patience)
        where[2] = NOBODY
        spent[LOCK] += env.now - since
        if not turn.triggered:
            self.rows.give_up(number, row)
        return bool(turn.triggered)

    def release(self, rows: Iterable[Row]) -> None:
        """Hand each row to the next that waits for it."""
        for row in rows:
            self.rows.release(row)

    def _idle_session(self, statement: int, hold: Hold) -> Steps:
        """A session that keeps the rows of a statement for a time and does nothing, again and again."""
        if hold.lasts_s < FOR_GOOD_S:
            yield self.env.timeout(self.random.uniform() * hold.every_s)
        while True:
            over = self.idle[statement] = self.env.event()
            self.stuck[statement] = []
            yield self.env.timeout(hold.lasts_s)
            del self.idle[statement]
            over.succeed()
            yield self.env.timeout(max(0.0, hold.every_s - hold.lasts_s))

    def wait_for_idle(self, number: int, statement: int, where: list[int], spent: list[float]) -> Ends:
        """Wait until the idle session, or a call that waits for it, is out of the way; False when patience ends."""
        hold, behind = self.holds[statement]
        event = OBJECT if hold.whole else LOCK
        if hold.of_calls < 1 and self.random.uniform() > hold.of_calls:
            return True
        over = self.idle.get(statement if behind is None else behind)
        stuck = self.stuck.get(behind, []) if behind is not None else []
        if over is None or (behind is not None and not stuck):
            return True
        since = self.env.now
        where[1], where[2] = event, stuck[0] if stuck else self.idle_number
        if behind is None:
            self.stuck[statement].append(number)
        patience = min(self.limits.lock_timeout_s, hold.patience_s)
        yield over if patience == float("inf") else over | self.env.timeout(patience)
        where[2] = NOBODY
        spent[event] += self.env.now - since
        if behind is None and not over.triggered:
            self.stuck[statement].remove(number)
        return bool(over.triggered)
