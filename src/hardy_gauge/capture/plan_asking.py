"""Which plans a server is asked for by itself: of the statements that take its time, spaced, and within a price.

A server that reports the plan it uses is asked for plans by their keys. Any other is asked what it would plan for the texts
that it counted: those that took most time lately, each again after a while, and at once when it is new or takes twice as long.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Container, Sequence
from dataclasses import dataclass, field

from hardy_gauge.probes.protocol import StatementCounter

MINUTE_US = 60_000_000
HEAVIEST = 40
AGAIN_US = 10 * MINUTE_US
SOON_US = MINUTE_US
REFUSED_US = 6 * 60 * MINUTE_US
SLOWER = 2.0
# of what was lately, each minute
KEPT = 0.9
# seconds of planning in an hour: 0.05% of a core
PRICE_S = 1.8
HOUR_US = 60 * MINUTE_US


@dataclass
class _Asked:
    """When, which plan it was, and the time per call then."""

    at_us: int
    plan_key: str
    each_s: float


@dataclass(frozen=True)
class PlanWanted:
    """A text to ask the plan of; ``for_values`` when it has the values of one call."""

    key: str
    text: str
    for_values: bool


@dataclass
class PlanAsking:
    """Of one server; ``database`` is the one that its texts are understood in, empty where that does not matter."""

    database: str = ""
    _heat: dict[str, float] = field(default_factory=dict)
    _each: dict[str, float] = field(default_factory=dict)
    _before: dict[str, tuple[float, float]] = field(default_factory=dict)
    _texts: dict[str, str] = field(default_factory=dict)
    _values: dict[str, str] = field(default_factory=dict)
    _asked: dict[str, _Asked] = field(default_factory=dict)
    _refused: dict[str, int] = field(default_factory=dict)
    _spent: deque[tuple[int, float]] = field(default_factory=deque)
    _queue: list[str] = field(default_factory=list)

    def minute(self, counted: Sequence[StatementCounter], now_us: int) -> None:
        """Take the counters of a minute, and decide what is asked in the next."""
        before, self._before = self._before, {row.key: (row.calls, row.time_s) for row in counted}
        self._heat = {key: heat * KEPT for key, heat in self._heat.items() if key in self._before}
        for row in counted:
            calls, time_s = before.get(row.key, (0.0, 0.0) if before else (row.calls, row.time_s))
            if row.calls > calls and row.time_s >= time_s and not self._elsewhere(row):
                self._heat[row.key] = self._heat.get(row.key, 0.0) + row.time_s - time_s
                self._each[row.key] = (row.time_s - time_s) / (row.calls - calls)
                self._texts[row.key] = row.text
        heaviest = sorted(self._heat, key=lambda key: -self._heat[key])[:HEAVIEST]
        self._texts = {key: self._texts[key] for key in heaviest}
        # the last of the list is asked first: what is new or slower, then what is heaviest
        due = [key for key in heaviest if self._is_due(key, now_us)]
        self._queue = sorted(due, key=lambda key: (self._is_urgent(key), self._heat[key]))

    def _elsewhere(self, row: StatementCounter) -> bool:
        return bool(self.database and row.database and row.database != self.database)

    def _is_urgent(self, key: str) -> bool:
        asked = self._asked.get(key)
        return asked is None or self._each.get(key, 0.0) > SLOWER * asked.each_s

    def _is_due(self, key: str, now_us: int) -> bool:
        if self._refused.get(key, 0) > now_us:
            return False
        asked = self._asked.get(key)
        passed = now_us - asked.at_us if asked else AGAIN_US
        return passed >= AGAIN_US or (passed >= SOON_US and self._is_urgent(key))

    def values_seen(self, key: str, text: str) -> None:
        """The text of one call with its values, where the capture rule keeps them."""
        if key in self._heat:
            self._values[key] = text

    def next(self, now_us: int, stored: Container[str]) -> PlanWanted | None:
        """What to ask now, of the statements that are ``stored``; None when nothing is due, or the price of this hour is
        spent.
        """
        while self._spent and self._spent[0][0] < now_us - HOUR_US:
            self._spent.popleft()
        ready = [key for key in self._queue if key in stored]
        if not ready or sum(seconds for _, seconds in self._spent) > PRICE_S:
            return None
        key = ready[-1]
        self._queue.remove(key)
        values = self._values.get(key)
        return PlanWanted(key, values or self._texts[key], values is not None)

    def answered(self, wanted: PlanWanted, plan_key: str | None, took_s: float, now_us: int) -> None:
        """What came of it; without a plan the text is left alone for some hours."""
        self._spent.append((now_us, took_s))
        if plan_key is None:
            self._refused[wanted.key] = now_us + REFUSED_US
        else:
            self._asked[wanted.key] = _Asked(now_us, plan_key, self._each.get(wanted.key, 0.0))

    def in_use(self, key: str) -> str | None:
        """The plan that a statement had when it was asked last."""
        asked = self._asked.get(key)
        return asked.plan_key if asked else None
