"""Recording one server: what is asked at each tick, what is kept until the next write, what went wrong.

A call that fails costs this server a gap, and nothing else. Rows are handed over only by ``drain``.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import polars as pl

from hardy_gauge.capture.convert import Directory, Seen, key_of
from hardy_gauge.core.activity.counters import Reading, Unusable, difference
from hardy_gauge.probes import protocol as p

MINUTE_US = 60_000_000
SKEW_LIMIT_S = 30.0
SHORTEST_GAP_US = 5_000_000


@dataclass(frozen=True)
class CaptureRule:
    """What is recorded: session sampling and counter intervals (s), threshold of executions (s)."""

    sample_s: float = 1.0
    counters_s: float = 60.0
    executions_s: float = 10.0
    threshold_s: float = 0.1


@dataclass
class Trouble:
    """A gap that is open or closed, a reset, or a clock that is off."""

    kind: str
    from_us: int
    to_us: int | None
    reason: str
    row_id: int | None = None


@dataclass
class Recorder:
    """One server's capture. ``tick`` asks what is due; ``now_us`` is the collector's clock."""

    server_id: int
    probe: p.Probe
    directory: Directory
    abilities: set[str]
    rule: CaptureRule
    executions_until_us: int
    messages_until_us: int
    samples: list[tuple[int, p.Session]] = field(default_factory=list)
    intervals: list[tuple[int, float, dict[str, float]]] = field(default_factory=list)
    statement_rows: list[tuple[int, float, p.StatementCounter, dict[str, float]]] = field(default_factory=list)
    executions: list[p.ExecutionRecord] = field(default_factory=list)
    changes: list[p.LogMessage] = field(default_factory=list)
    settings: p.Settings | None = None
    schema: p.Schema | None = None
    troubles: list[Trouble] = field(default_factory=list)
    counters_seen: list[p.StatementCounter] = field(default_factory=list)
    texts_seen: dict[str, Seen] = field(default_factory=dict)
    error: str = ""
    seen_us: int = 0
    skew_s: float = 0.0
    until_us: int = 0
    _gap: Trouble | None = None
    _skew: Trouble | None = None
    _due: dict[str, int] = field(default_factory=dict)
    _counters: Reading | None = None
    _statements: dict[str, Reading] = field(default_factory=dict)
    _looked: Reading | None = None
    _running_s: float | None = None

    def tick(self, now_us: int) -> None:
        """Ask what is due. A failing call opens a gap; the first good one afterwards closes it."""
        try:
            if "sessions" in self.abilities and self._is_due("sessions", now_us, self.rule.sample_s):
                answer = self.probe.sessions()
                at = now_us // 1_000_000 * 1_000_000
                self.samples += [(at, session) for session in answer.sessions]
                self._meet(answer.sessions)
                self._clock(answer.at_us, now_us)
            if self._is_due("counters", now_us, self.rule.counters_s):
                self._minute(now_us)
            if "executions" in self.abilities and self._is_due("executions", now_us, self.rule.executions_s):
                found = self.probe.executions(self.executions_until_us, self.rule.threshold_s)
                self.executions += found.executions
                self._meet(found.executions)
                self.executions_until_us = found.until_us
        except p.ProbeError as error:
            self._failed(now_us, str(error))
            return
        self.seen_us, self.error = now_us, ""
        if self._gap is not None:
            self._gap.to_us = now_us
            self.troubles.append(self._gap)
            self._gap = None

    def _meet(self, rows: Iterable[p.Session | p.ExecutionRecord]) -> None:
        for row in rows:
            seen = Seen.of(row)
            if seen is not None and seen.key not in self.directory.known:
                self.texts_seen[seen.key] = seen

    def _is_due(self, what: str, now_us: int, every_s: float) -> bool:
        step = int(every_s * 1e6)
        if now_us // step <= self._due.get(what, -1):
            return False
        self._due[what] = now_us // step
        return True

    def _failed(self, now_us: int, reason: str) -> None:
        self.error = reason
        if self._gap is None:
            self._gap = Trouble("gap", max(self.seen_us, self.until_us) or now_us, None, reason)
            self.troubles.append(self._gap)
        self._counters, self._statements, self._looked = None, {}, None
        self._due.pop("counters", None)

    def _clock(self, server_us: int, now_us: int) -> None:
        self.skew_s = (server_us - now_us) / 1e6
        off = abs(self.skew_s) > SKEW_LIMIT_S
        if off and self._skew is None:
            reason = f"the server's clock is {self.skew_s:+.0f} s from ours; our clock is used"
            self._skew = Trouble("clock", now_us, None, reason)
            self.troubles.append(self._skew)
        elif not off and self._skew is not None:
            self._skew.to_us = now_us
            self.troubles.append(self._skew)
            self._skew = None

    def _minute(self, now_us: int) -> None:
        """Counters, statement counters, messages, settings and schema, and what differs since the last minute."""
        identity = self.probe.identity()
        self.abilities = set(identity.abilities)
        counted: dict[str, float] = {}
        if "statements" in self.abilities:
            counted = self._statement_intervals(self.probe.statements(), now_us)
        if "counters" in self.abilities:
            answer = self.probe.counters()
            reading = Reading(answer.at_us, answer.started_at_us, answer.values)
            used = {f"volume_used.{v.name}": float(v.used_bytes) for v in self.probe.host().volumes}
            self._interval(reading, answer.levels | used, counted, now_us)
        if "messages" in self.abilities:
            found = self.probe.messages(self.messages_until_us)
            self.changes += [m for m in found.messages if m.change]
            self.messages_until_us = found.until_us
        if "settings" in self.abilities:
            self.settings = self.probe.settings()
        if "schema" in self.abilities:
            self.schema = self.probe.schema()

    def _interval(self, reading: Reading, levels: dict[str, float], counted: dict[str, float], now_us: int) -> None:
        """``counted``: sums over the statements of this minute, for what the server does not count as a whole."""
        before, self._counters = self._counters, reading
        running, self._running_s = self._running_s, levels.pop(RUNNING, None)
        if before is None:
            if self.until_us and self._gap is None and now_us - self.until_us > SHORTEST_GAP_US:
                self.troubles.append(Trouble("gap", self.until_us, now_us, "capture was not running"))
            self.until_us = now_us
            return
        done = difference(before, reading)
        if isinstance(done, Unusable):
            self.troubles.append(Trouble(done.kind, self.until_us or now_us, now_us, done.reason))
        else:
            if running is not None and self._running_s is not None and "time_s" in done.values:
                # what is still running counts too, less what was counted of it before it ended
                done.values["time_s"] = max(0.0, done.values["time_s"] + self._running_s - running)
            self.intervals.append((_minute_of(now_us, done.span_s), done.span_s, counted | done.values | levels))
        self.until_us = now_us

    def _statement_intervals(self, answer: p.StatementCounters, now_us: int) -> dict[str, float]:
        """Take the statements' differences; returns their sums, or nothing at the first look.

        A statement that was not there at the last look is counted from zero.
        """
        self.counters_seen = answer.statements
        before, looked = self._statements, self._looked
        self._statements, self._looked = {}, Reading(answer.at_us, answer.started_at_us, {})
        sums = dict.fromkeys(_FIGURES, 0.0) if looked else {}
        for row in answer.statements:
            figures = row.model_dump(include=set(_FIGURES), exclude_none=True)
            figures |= {f"wait.{e}": s for e, s in row.wait_s.items()}
            reading = self._statements[row.key] = Reading(answer.at_us, answer.started_at_us, figures)
            old = before.get(row.key, looked)
            if old is None:
                continue
            done = difference(old, reading)
            if isinstance(done, Unusable):
                if self._counters is None or "counters" not in self.abilities:
                    self.troubles.append(Trouble(done.kind, old.at_us, now_us, f"{row.key}: {done.reason}"))
            elif done.values["calls"] > 0:
                self.statement_rows.append((_minute_of(now_us, done.span_s), done.span_s, row, done.values))
                for name in sums:
                    sums[name] += done.values.get(name, 0.0)
        return {name: value for name, value in sums.items() if value or name in ("calls", "time_s")}

    def drain(self) -> dict[str, pl.DataFrame]:
        """The rows gathered since the last drain, in the form that is stored; the buffers are emptied."""
        frames: dict[str, pl.DataFrame] = {}
        if self.intervals:
            frames["metric"] = pl.DataFrame([{"at_us": at, "span_s": s, **values} for at, s, values in self.intervals])
        if self.statement_rows:
            rows = [
                {"at_us": at, "span_s": s, "statement_key": c.key, "plan_key": c.plan_key, **values}
                for at, s, c, values in self.statement_rows
            ]
            frames["statement"] = self.directory.with_statements(_reported(rows))
        if self.samples:
            rows = [
                {"at_us": at, "session": s.session, "statement_key": key_of(s), "wait_event": s.wait_event,
                 "user": s.user, "service": s.service, "database": s.database}
                for at, s in self.samples
            ]  # fmt: skip
            frame = self.directory.with_statements(_reported(rows), named=False)
            frames["sample"] = self.directory.with_families(frame)
        if self.executions:
            rows = [e.model_dump(exclude={"text"}) for e in self.executions]
            frames["execution"] = self.directory.with_statements(_reported(rows), named=False)
        self.intervals, self.statement_rows, self.samples, self.executions = [], [], [], []
        return frames


RUNNING = "running_s"
_FIGURES = ("calls", "time_s", "rows_returned", "rows_examined", "pages_requested", "pages_read", "log_bytes")


def _reported(rows: list[dict[str, Any]]) -> pl.DataFrame:
    """The rows without the columns that the server reports nothing in, but for the keys."""
    frame = pl.DataFrame(rows, infer_schema_length=None)
    keys = [pl.col(c).cast(pl.String) for c in ("statement_key", "plan_key") if c in frame.columns]
    frame = frame.with_columns(*keys)
    return frame.drop([name for name, kind in frame.schema.items() if kind == pl.Null])


def _minute_of(now_us: int, span_s: float) -> int:
    """The start of the minute that the larger part of the interval lies in."""
    return int(now_us - span_s * 5e5) // MINUTE_US * MINUTE_US
