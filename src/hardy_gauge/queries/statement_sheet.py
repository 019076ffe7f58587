"""One statement on one server or scope: figures, history, plans over time, executions, findings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Any

import polars as pl
from sqlalchemy import select

from hardy_gauge.core.checks.sheet import CheckSheet, check_sheet
from hardy_gauge.core.evidence.evidence import Schema
from hardy_gauge.core.log.message_row import MessageRow
from hardy_gauge.core.narrative.plan import plans_words
from hardy_gauge.core.narrative.statements import statement_sentence
from hardy_gauge.core.sql.served import Predicate, predicates_of
from hardy_gauge.core.statements.by_value import ByValue, Timed, by_value
from hardy_gauge.core.statements.figure_groups import FigureGroup, figure_groups
from hardy_gauge.core.statements.history import History, history_of
from hardy_gauge.core.statements.ratios import per_call
from hardy_gauge.core.statements.rows import StatementRow
from hardy_gauge.core.time.span import Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.evidence import latest_plan, schema_of
from hardy_gauge.queries.findings import FoundOn, findings_in
from hardy_gauge.queries.log_messages import messages_in
from hardy_gauge.queries.pins import pinned_plans
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.recorded_schema import shapes_of
from hardy_gauge.queries.routines import RoutineSheet, routine_sheet
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.queries.statements import read_intervals
from hardy_gauge.store import segments
from hardy_gauge.store.models import Plan as StoredPlan
from hardy_gauge.store.models import Server, Statement

MOST_EXECUTIONS = 200
MOST_BY_VALUE = 1000
TIMED = [field.name for field in fields(Timed)]


@dataclass(frozen=True)
class PlanUse:
    """A plan that was in use; ``stored`` when it can be looked at, ``pinned`` when the server was told to keep it, ``may_pin`` when it
    can be told to.
    """

    plan_key: str
    server: str
    calls: float
    time_per_call_s: float | None
    first_us: int
    last_us: int
    stored: bool
    pinned: bool
    may_pin: bool


@dataclass(frozen=True)
class ExecutionRow:
    """One finished execution; ``text`` with its values, where the capture rule keeps them."""

    ended_at_us: int
    server: str
    duration_s: float
    user: str
    service: str
    rows_returned: float | None
    rows_examined: float | None
    pages_read: float | None
    plan_key: str | None
    text: str | None


@dataclass(frozen=True)
class StatementDetail:
    """All that the statement sheet shows; ``askable`` are servers that can be asked for its plan."""

    sentence: str
    reference_note: str
    row: StatementRow
    figures: list[FigureGroup]
    predicates: list[Predicate]
    checks: CheckSheet
    history: History
    plans: list[PlanUse]
    executions: list[ExecutionRow]
    executions_in_all: int
    findings: list[FoundOn]
    messages: list[MessageRow]
    askable: list[str]
    plans_note: str
    routines: RoutineSheet | None
    by_value: ByValue


def statement_of(reader: Reader, fingerprint: str) -> Statement:
    """NotFound when it is unknown."""
    with reader.store.read() as session:
        found = session.scalar(select(Statement).where(Statement.fingerprint == fingerprint))
    if found is None:
        raise NotFound(f"no statement '{fingerprint}' was recorded", "fingerprint", "Unknown statement")
    return found


def statement_sheet(reader: Reader, window: Window, scope: str, fingerprint: str) -> StatementDetail:
    """NotFound when the statement is unknown or was not called in the focus."""
    found = statement_of(reader, fingerprint)
    servers = servers_in(reader, scope)
    listed = statement_rows(reader, window, scope)
    row = next((r for r in listed.rows if r.fingerprint == fingerprint), None)
    if row is None:
        detail = "the statement was not called in this window; move the focus on the tape"
        raise NotFound(detail, "focus", "Not called in this window")
    frame = read_intervals(reader, servers, window.focus)
    frame = frame.filter(pl.col("statement") == found.id) if len(frame) else frame
    executions, in_all, values = _executions(reader, servers, window.focus, found.id)
    plans = _plans(reader, servers, frame, found)
    schemas = (schema_of(reader, server, window.focus) for server in servers)
    schema = next((one for one in schemas if isinstance(one, Schema) and one.tables), Schema("postgres", {}))
    return StatementDetail(
        sentence=statement_sentence(row, scope, len({plan.plan_key for plan in plans})),
        reference_note=listed.reference_note, row=row, figures=figure_groups(row),
        predicates=predicates_of(found.text, schema.tables, schema.dialect), history=history_of(frame, window.focus),
        checks=_checks(reader, servers, row, found, plans, schema),
        plans=plans, executions=executions, executions_in_all=in_all, by_value=values,
        findings=findings_in(reader, servers, window.focus, fingerprint).findings,
        messages=messages_in(reader, servers, window.focus, found.id),
        plans_note=plans_words(all("plans" in s.abilities for s in servers if any(p.server == s.name for p in plans))),
        routines=routine_sheet(reader, servers, fingerprint, found.text, listed.rows),
        askable=[s.name for s in servers if "explain" in s.abilities and s.id in set(frame["server_id"])] if len(frame) else [],
    )  # fmt: skip


def _checks(
    reader: Reader, servers: Sequence[Server], row: StatementRow, found: Statement, plans: Sequence[PlanUse], schema: Schema
) -> CheckSheet:  # fmt: skip
    """Of its text, its figures, and the plan that was used last and is stored."""
    shapes = next((one for server in servers if (one := shapes_of(reader.store, server.id))), None)
    by_name = {server.name: server.id for server in servers}
    kept = next((plan for plan in plans if plan.stored), None)
    plan = latest_plan(reader, by_name[kept.server], found.id, kept.plan_key) if kept else None
    return check_sheet(row, schema.dialect, shapes, plan, schema.tables)


def _plans(reader: Reader, servers: Sequence[Server], frame: pl.DataFrame, found: Statement) -> list[PlanUse]:
    if frame.is_empty():
        return []
    names, able = {s.id: s.name for s in servers}, {s.id for s in servers if "pins" in s.abilities}
    pinned = pinned_plans(reader, servers, found.fingerprint)
    with reader.store.read() as session:
        query = select(StoredPlan.server_id, StoredPlan.plan_key).where(StoredPlan.statement_id == found.id)
        stored = {tuple(row) for row in session.execute(query)}
    used = frame.group_by("server_id", "plan_key").agg(
        pl.col("calls", "time_s").sum(), pl.col("at_us").min().alias("first"), pl.col("at_us").max().alias("last")
    )
    return [
        PlanUse(
            r["plan_key"] or "not reported", names[r["server_id"]], r["calls"], per_call(r["calls"], r["time_s"]), r["first"],
            r["last"], (r["server_id"], r["plan_key"]) in stored, (r["server_id"], r["plan_key"]) in pinned,
            r["server_id"] in able and r["plan_key"] is not None,
        )
        for r in used.sort("last", descending=True).iter_rows(named=True)
    ]  # fmt: skip


def _executions(
    reader: Reader, servers: Sequence[Server], focus: Span, statement_id: int
) -> tuple[list[ExecutionRow], int, ByValue]:
    """The last of them, how many there are in all, and what the last of them took by value."""
    names = {s.id: s.name for s in servers}
    with reader.store.read() as session:
        frame = segments.read(session, list(names), "execution", focus.since_us, focus.until_us)
    if frame.is_empty():
        return [], 0, by_value([])
    mine = frame.filter(pl.col("statement") == statement_id).sort("ended_at_us", descending=True)
    columns = [field.name for field in fields(ExecutionRow) if field.name != "server"]
    rows = []
    for row in mine.head(MOST_EXECUTIONS).iter_rows(named=True):
        values: dict[str, Any] = {c: row.get(c) for c in columns}
        rows.append(ExecutionRow(server=names[row["server_id"]], **values))
    timed = pl.DataFrame({name: mine[name] if name in mine.columns else [None] * len(mine) for name in TIMED})
    return rows, len(mine), by_value([Timed(*row) for row in timed.head(MOST_BY_VALUE).iter_rows()])


def latest_call(reader: Reader, server: Server, statement_id: int, focus: Span) -> str:
    """The text of the last execution that was recorded with its values; empty where none was."""
    with reader.store.read() as session:
        frame = segments.read(session, [server.id], "execution", focus.since_us, focus.until_us, ["statement", "text"])
    if frame.is_empty() or "text" not in frame.columns:
        return ""
    mine = frame.filter(pl.col("statement") == statement_id, pl.col("text").is_not_null()).sort("ended_at_us")
    return str(mine["text"][-1]) if len(mine) else ""
