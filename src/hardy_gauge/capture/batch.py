"""A capture batch: what was recorded of one server since it was last written, and the rows that are stored of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import polars as pl

from hardy_gauge.capture.intervals import Interval, StatementInterval
from hardy_gauge.capture.messages import messages_frame
from hardy_gauge.capture.object_intervals import ObjectKind, Row, TableEvent, object_frame
from hardy_gauge.capture.rules import CaptureRule
from hardy_gauge.capture.statement_registry import Seen, StatementRegistry, key_of
from hardy_gauge.core.activity.waiting import OLD_TRANSACTION_US
from hardy_gauge.probes import protocol as p

YOUNGEST_US = 1_000_000


@dataclass
class Trouble:
    """A gap that is open or closed, a reset, a clock that is off, or a part that is not recorded."""

    kind: str
    from_us: int
    to_us: int | None
    reason: str
    row_id: int | None = None


@dataclass
class TakenPlan:
    """A plan as the server reported it, of a statement that is stored."""

    statement_id: int
    plan_key: str
    at_us: int
    explained: p.Explained


@dataclass
class Until:
    """How far the recording has come, by series."""

    recorded_us: int = 0
    executions_us: int = 0
    messages_us: int = 0
    seen_us: int = 0
    skew_s: float = 0.0


@dataclass
class CaptureBatch:
    """``samples`` are looks at a session: when, the seconds it stands for, of how many sessions one was followed; ``holders``
    looks at sessions that did nothing in an open transaction: when, and the seconds it stands for; ``metrics`` and ``statements``
    differences as ``Intervals`` makes them, ``tables``, ``indexes``, ``sequences`` and ``events`` as ``ObjectIntervals`` does; ``connections`` groups of open sessions with their minute.
    """

    rule: CaptureRule
    until: Until
    samples: list[tuple[int, float, int, p.Session]] = field(default_factory=list)
    holders: list[tuple[int, float, p.Holder]] = field(default_factory=list)
    executions: list[p.ExecutionRecord] = field(default_factory=list)
    metrics: list[Interval] = field(default_factory=list)
    statements: list[StatementInterval] = field(default_factory=list)
    tables: list[Row] = field(default_factory=list)
    indexes: list[Row] = field(default_factory=list)
    sequences: list[Row] = field(default_factory=list)
    events: list[TableEvent] = field(default_factory=list)
    connections: list[tuple[int, p.ConnectionGroup]] = field(default_factory=list)
    messages: list[p.LogMessage] = field(default_factory=list)
    troubles: list[Trouble] = field(default_factory=list)
    plans: list[TakenPlan] = field(default_factory=list)
    counters_seen: list[p.StatementCounter] = field(default_factory=list)
    texts_seen: dict[str, Seen] = field(default_factory=dict)
    settings: p.Settings | None = None
    schema: p.Schema | None = None
    host: p.Host | None = None
    planner: p.PlannerFacts | None = None
    pins: dict[str, Any] | None = None
    identity: p.Identity | None = None

    def frames(self, registry: StatementRegistry) -> dict[str, pl.DataFrame]:
        """The rows in the form that is stored, by kind of series."""
        frames: dict[str, pl.DataFrame] = {}
        if self.metrics:
            minutes = [{"at_us": at, "span_s": s, **values} for at, s, values in self.metrics]
            frames["metric"] = pl.DataFrame(minutes, infer_schema_length=None)
        if self.statements:
            rows: list[dict[str, Any]] = [
                {
                    "at_us": at,
                    "span_s": s,
                    "statement_key": c.key,
                    "plan_key": c.plan_key,
                    **_whose(c),
                    **values,
                    "least_s": c.least_s,
                    "greatest_s": c.greatest_s,
                }
                for at, s, c, values in self.statements
            ]
            frame = _reported(rows)
            if not self.rule.waits:
                frame = frame.select(c for c in frame.columns if not c.startswith("wait."))
            frames["statement"] = registry.with_statements(frame, named=False)
        objects: dict[ObjectKind, list[Row]] = {"table": self.tables, "index": self.indexes, "sequence": self.sequences}
        frames |= {kind: object_frame(kind, found) for kind, found in objects.items() if found}
        if self.samples:
            frames["sample"] = self._sampled(registry)
        if self.holders:
            frames["holder"] = self._held(registry)
        if self.connections:
            found = [{"at_us": at, **group.model_dump()} for at, group in self.connections]
            frames["connection"] = pl.DataFrame(found, infer_schema_length=None)
        if self.messages:
            frames["message"] = messages_frame(self.messages, registry)
        if self.executions:
            hidden = {"text"} if self.rule.literals == "replaced" else set()
            rows = [
                e.model_dump(exclude=hidden)
                | {"statement_key": key_of(e), "route": e.route or None, "trace": e.trace or None}
                for e in self.executions
            ]
            frames["execution"] = registry.with_statements(_reported(rows), named=False)
        return frames

    def _sampled(self, registry: StatementRegistry) -> pl.DataFrame:
        """With ``weight`` where a sample stands for more than a second, and ``one_in`` where sessions are left out."""
        rows = [
            {"at_us": at, "weight": every_s * one_in, "one_in": one_in, "session": s.session,
             "statement_key": key_of(s), "user": s.user, "wait_event": s.wait_event if self.rule.waits else "not recorded",
             "service": s.service, "database": s.database, "began_us": _begin(at, s), "blockers": s.waits_for() or None, "route": s.route or None,
             "transaction_began_us": _old(at, s.transaction_began_us), "object": s.object or None, "client": s.client or None}
            for at, every_s, one_in, s in self.samples
        ]  # fmt: skip
        frame = registry.with_statements(_reported(rows), named=False)
        frame = frame.drop(name for name in ("weight", "one_in") if (frame[name] == 1).all())
        return registry.with_families(frame)

    def _held(self, registry: StatementRegistry) -> pl.DataFrame:
        """Looks at sessions that did nothing in an open transaction: what ran last, since when, and since when it is open."""
        rows = [
            {"at_us": at, "weight": every_s, "session": h.session, "statement_key": key_of(h), "user": h.user,
             "service": h.service, "database": h.database, "client": h.client,
             "transaction_began_us": h.transaction_began_us, "idle_since_us": h.idle_since_us}
            for at, every_s, h in self.holders
        ]  # fmt: skip
        frame = pl.DataFrame(rows, schema_overrides={"statement_key": pl.String}, infer_schema_length=None)
        return registry.with_statements(frame, named=False)

    def since_us(self) -> int:
        """The earliest moment that anything of it is about."""
        times = [self.samples[0][0]] if self.samples else []
        times += [self.metrics[0][0]] if self.metrics else []
        times += [self.statements[0][0]] if self.statements else []
        return min([*times, *(e.ended_at_us for e in self.executions)], default=self.until.seen_us)

    def followed_by(self, later: CaptureBatch) -> CaptureBatch:
        """Both together, after this could not be written."""
        return CaptureBatch(
            later.rule, later.until, self.samples + later.samples, self.holders + later.holders, self.executions + later.executions,
            self.metrics + later.metrics, self.statements + later.statements, self.tables + later.tables,
            self.indexes + later.indexes, self.sequences + later.sequences, self.events + later.events, self.connections + later.connections, self.messages + later.messages,
            self.troubles + later.troubles, self.plans + later.plans, later.counters_seen or self.counters_seen,
            self.texts_seen | later.texts_seen, later.settings or self.settings, later.schema or self.schema, later.host or self.host,
            later.planner or self.planner, later.pins or self.pins, later.identity or self.identity,
        )  # fmt: skip


def _whose(counter: p.StatementCounter) -> dict[str, str]:
    """Who ran a statement, as the server counts it now: it may be another service than the first."""
    return {"user": counter.user, "service": counter.service, "database": counter.database}


def _old(at_us: int, began_us: int | None) -> int | None:
    """When a transaction was opened, if it is old enough to be asked about."""
    return began_us if began_us is not None and at_us - began_us >= OLD_TRANSACTION_US else None


def _begin(at_us: int, session: p.Session) -> int | None:
    """When the call began; None where that is not reported, or it is younger than a look."""
    began = session.began_us
    return began if began is not None and at_us - began >= YOUNGEST_US else None


def _reported(rows: list[dict[str, Any]]) -> pl.DataFrame:
    """The rows without the columns that the server reports nothing in, but for the keys."""
    frame = pl.DataFrame(rows, infer_schema_length=None)
    keys = [pl.col(c).cast(pl.String) for c in ("statement_key", "plan_key") if c in frame.columns]
    frame = frame.with_columns(*keys)
    return frame.drop([name for name, kind in frame.schema.items() if kind == pl.Null])
