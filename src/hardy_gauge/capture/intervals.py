"""From cumulative figures to what was done between two looks, of a server and of each of its statements."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from hardy_gauge.core.activity.counters import Reading, Unusable, difference
from hardy_gauge.core.figures.catalogue import STATEMENT_FIGURES, STATEMENT_SUMS
from hardy_gauge.probes import protocol as p

MINUTE_US = 60_000_000
RUNNING = "running_s"
Complain = Callable[[str, int, int, str], None]
# the minute, its seconds, and what was done in it; of a statement with the counters that it is from
Interval = tuple[int, float, dict[str, float]]
StatementInterval = tuple[int, float, p.StatementCounter, dict[str, float]]


@dataclass
class Intervals:
    """The last look at one server, and the rows that differ since, until they are taken.

    ``complain(kind, from_us, to_us, reason)`` is called for differences that mean nothing.
    """

    complain: Complain
    metrics: list[Interval] = field(default_factory=list)
    statements: list[StatementInterval] = field(default_factory=list)
    _server: Reading | None = None
    _rows: dict[str, Reading] = field(default_factory=dict)
    _looked: Reading | None = None
    _running_s: float | None = None

    def forget(self) -> None:
        """After a gap: the next look is the first."""
        self._server, self._rows, self._looked, self._running_s = None, {}, None, None

    def taken(self) -> tuple[list[Interval], list[StatementInterval]]:
        """The rows so far, which are then the caller's."""
        found = self.metrics, self.statements
        self.metrics, self.statements = [], []
        return found

    def server(
        self, answer: p.Counters, levels: dict[str, float], counted: dict[str, float], since_us: int, now_us: int
    ) -> bool:
        """Take the server's counters; True when they could be compared with those before.

        ``counted`` are sums over the statements of the same time, for what the server does not count as a whole.
        """
        reading = Reading(answer.at_us, answer.started_at_us, answer.values)
        before, self._server = self._server, reading
        running, self._running_s = self._running_s, levels.pop(RUNNING, None)
        if before is None:
            return False
        done = difference(before, reading)
        if isinstance(done, Unusable):
            self.complain(done.kind, since_us or now_us, now_us, done.reason)
            return True
        if running is not None and self._running_s is not None and "time_s" in done.values:
            # what is still running counts too, less what was counted of it before it ended
            done.values["time_s"] = max(0.0, done.values["time_s"] + self._running_s - running)
        self.metrics.append((minute_of(now_us, done.span_s), done.span_s, counted | done.values | levels))
        return True

    def of_statements(self, answer: p.StatementCounters, least_s: float, now_us: int) -> dict[str, float]:
        """Take the statements' counters; returns the sums of their differences, or nothing at the first look.

        A statement that was not there at the last look is counted from zero. Rows are kept of statements that took at
        least ``least_s`` a call.
        """
        before, looked = self._rows, self._looked
        self._rows, self._looked = {}, Reading(answer.at_us, answer.started_at_us, {})
        sums = dict.fromkeys(STATEMENT_FIGURES, 0.0) if looked else {}
        for row in answer.statements:
            figures = row.model_dump(include=set(STATEMENT_SUMS), exclude_none=True)
            figures |= {f"wait.{e}": s for e, s in row.wait_s.items()}
            reading = self._rows[row.key] = Reading(answer.at_us, answer.started_at_us, figures)
            old = before.get(row.key, looked)
            if old is None:
                continue
            done = difference(old, reading)
            if isinstance(done, Unusable):
                if self._server is None:
                    self.complain(done.kind, old.at_us, now_us, f"{row.key}: {done.reason}")
                continue
            for name in sums:
                sums[name] += done.values.get(name, 0.0)
            if done.values["calls"] > 0 and done.values["time_s"] >= least_s * done.values["calls"]:
                self.statements.append((minute_of(now_us, done.span_s), done.span_s, row, done.values))
        return {name: value for name, value in sums.items() if value or name in ("calls", "time_s")}


def minute_of(now_us: int, span_s: float) -> int:
    """The start of the minute that the larger part of the interval lies in."""
    return int(now_us - span_s * 5e5) // MINUTE_US * MINUTE_US
