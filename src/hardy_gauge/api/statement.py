"""One statement on one server or scope: figures, history, plans over time, executions, findings."""

from __future__ import annotations

import polars as pl
from fastapi import APIRouter
from pydantic import BaseModel, Field
from sqlalchemy import select

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.findings import FindingOut, findings_of, tables_of
from hardy_gauge.api.problems import Problem
from hardy_gauge.api.statements import StatementRow, statements
from hardy_gauge.api.window import CurrentWindow, Window, servers_in
from hardy_gauge.api.work import examined_per_row, read_intervals, total
from hardy_gauge.core.reference.words import duration, share
from hardy_gauge.core.sql.predicates import Unreadable, read_uses
from hardy_gauge.store import segments
from hardy_gauge.store.models import Plan as StoredPlan
from hardy_gauge.store.models import Server, Statement

router = APIRouter(tags=["statements"])
STEPS = 120
MOST_EXECUTIONS = 200


class Predicate(BaseModel):
    """One condition; ``served`` by an index, could be ("could"), or cannot ("cannot", with the reason)."""

    text: str
    table: str
    column: str
    served: str
    why: str


class History(BaseModel):
    """Arrays by time step; None where the statement was not called."""

    at_us: list[int]
    step_us: int
    calls_per_s: list[float | None]
    time_per_call_s: list[float | None]
    examined_per_row: list[float | None]
    plan_key: list[str | None]


class PlanUse(BaseModel):
    plan_key: str
    server: str
    calls: float
    time_per_call_s: float
    first_us: int
    last_us: int
    stored: bool


class ExecutionRow(BaseModel):
    ended_at_us: int
    server: str
    duration_s: float
    user: str
    service: str
    rows_returned: float | None
    rows_examined: float | None
    pages_read: float | None
    plan_key: str | None
    text: str | None = Field(None, description="with its values, where the capture rule keeps them")


class StatementDetail(BaseModel):
    sentence: str
    row: StatementRow
    predicates: list[Predicate]
    history: History
    plans: list[PlanUse]
    executions: list[ExecutionRow]
    executions_in_all: int
    findings: list[FindingOut]


@router.get("/statements/{fingerprint}")
def statement(fingerprint: str, data: CurrentData, window: CurrentWindow, scope: str = "fleet") -> StatementDetail:
    with data.store.read() as session:
        found = session.scalar(select(Statement).where(Statement.fingerprint == fingerprint))
    if found is None:
        raise Problem(404, "Unknown statement", f"no statement '{fingerprint}' was recorded", "fingerprint")
    servers = servers_in(data, scope)
    listed = statements(data, window, scope)
    row = next((r for r in listed.rows if r.fingerprint == fingerprint), None)
    if row is None:
        detail = "the statement was not called in this window; move the focus on the tape"
        raise Problem(404, "Not called in this window", detail, "focus")
    frame = read_intervals(data, servers, window.focus).filter(pl.col("statement") == found.id)
    executions, in_all = _executions(data, servers, window, found.id)
    findings = [f for server in servers for f in findings_of(data, server, window, found.id)]
    plans = _plans(data, servers, frame, found.id)
    return StatementDetail(
        sentence=_sentence(row, scope, plans), row=row, predicates=_predicates(data, servers, found),
        history=_history(frame, window), plans=plans, executions=executions, executions_in_all=in_all,
        findings=findings,
    )  # fmt: skip


def _predicates(data: Data, servers: list[Server], found: Statement) -> list[Predicate]:
    tables, dialect = next(((t, d) for s in servers for t, d in [tables_of(data, s)] if t), ({}, "postgres"))
    try:
        uses = read_uses(found.text, {name: list(t.columns) for name, t in tables.items()}, dialect)
    except Unreadable:
        return []
    rows = []
    for condition in uses.conditions:
        leading = {i.columns[0]: i.name for i in tables[condition.table].indexes}
        inner = {c: i.name for i in tables[condition.table].indexes for c in i.columns[1:]}
        if condition.form == "other":
            reason = uses.tables[condition.table].unserved.get(condition.column, "no index can start from it")
            served, why = "cannot", reason
        elif condition.column in leading:
            served, why = "index", f"served by {leading[condition.column]}"
        elif condition.column in inner:
            served, why = "index", f"served by {inner[condition.column]} after its leading columns"
        else:
            served, why = "could", "an index on this column could serve it; none does"
        rows.append(
            Predicate(text=condition.text, table=condition.table, column=condition.column, served=served, why=why)
        )
    return rows


def _history(frame: pl.DataFrame, window: Window) -> History:
    focus = window.focus
    step = max(60_000_000, (focus.until_us - focus.since_us) // STEPS // 60_000_000 * 60_000_000)
    since = focus.since_us // step * step
    slots = (
        frame.with_columns(((pl.col("at_us") - since) // step).alias("slot"))
        .sort("at_us")
        .group_by("slot")
        .agg(*[total(c) for c in ("calls", "time_s", "rows_returned", "rows_examined")], pl.col("plan_key").last())
    )
    by_slot = {row["slot"]: row for row in slots.iter_rows(named=True)}
    grid = list(range(since, focus.until_us, step))
    rows = [by_slot.get(i) for i in range(len(grid))]
    return History(
        at_us=grid, step_us=step,
        calls_per_s=[r["calls"] / (step / 1e6) if r else None for r in rows],
        time_per_call_s=[r["time_s"] / r["calls"] if r else None for r in rows],
        examined_per_row=[examined_per_row(r) for r in rows],
        plan_key=[r["plan_key"] if r else None for r in rows],
    )  # fmt: skip


def _plans(data: Data, servers: list[Server], frame: pl.DataFrame, statement_id: int) -> list[PlanUse]:
    names = {s.id: s.name for s in servers}
    with data.store.read() as session:
        query = select(StoredPlan.server_id, StoredPlan.plan_key).where(StoredPlan.statement_id == statement_id)
        stored = {tuple(row) for row in session.execute(query)}
    if frame.is_empty():
        return []
    used = frame.group_by("server_id", "plan_key").agg(
        pl.col("calls", "time_s").sum(), pl.col("at_us").min().alias("first"), pl.col("at_us").max().alias("last")
    )
    return [
        PlanUse(
            plan_key=r["plan_key"] or "not reported", server=names[r["server_id"]], calls=r["calls"],
            time_per_call_s=r["time_s"] / r["calls"], first_us=r["first"], last_us=r["last"],
            stored=(r["server_id"], r["plan_key"]) in stored,
        )
        for r in used.sort("last", descending=True).iter_rows(named=True)
    ]  # fmt: skip


def _executions(data: Data, servers: list[Server], window: Window, statement_id: int) -> tuple[list[ExecutionRow], int]:
    names = {s.id: s.name for s in servers}
    with data.store.read() as session:
        frame = segments.read(session, list(names), "execution", window.focus.since_us, window.focus.until_us)
    if frame.is_empty():
        return [], 0
    mine = frame.filter(pl.col("statement") == statement_id).sort("ended_at_us", descending=True)
    columns = [c for c in ExecutionRow.model_fields if c != "server"]
    rows = [
        ExecutionRow(server=names[row["server_id"]], **{c: row.get(c) for c in columns})
        for row in mine.head(MOST_EXECUTIONS).iter_rows(named=True)
    ]
    return rows, len(mine)


def _sentence(row: StatementRow, scope: str, plans: list[PlanUse]) -> str:
    kept = f"takes {share(row.share)} of the time of {scope}: {row.calls_per_s:.2g} calls/s of {duration(row.time_per_call_s)}"
    compared = f", {row.difference} per call" if row.reference_time_per_call_s is not None else ", new here"
    many = len({plan.plan_key for plan in plans}) > 1
    return f"The statement {kept}{compared}{'; more than one plan was in use' if many else ''}."
