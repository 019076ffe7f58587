"""What is wrong on a server in a window: every rule asked about every heavy statement."""

from __future__ import annotations

from typing import Any

import polars as pl
from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy import select

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.samples import moments, read_samples
from hardy_gauge.api.window import CurrentWindow, Window, servers_in
from hardy_gauge.api.work import examined_per_row, per_call, read_intervals, reference_sums, sums
from hardy_gauge.capture.access import probe_of
from hardy_gauge.core.activity.ledger import accounts
from hardy_gauge.core.advice.finding import (
    ColumnFacts,
    Evidence,
    Finding,
    IndexFacts,
    StatementFacts,
    TableFacts,
    WhatIf,
)  # fmt: skip
from hardy_gauge.core.advice.rules import RULES
from hardy_gauge.core.plans.model import MalformedPlan, Plan
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.probes.protocol import ExplainRequest, IndexSpec, ProbeError
from hardy_gauge.store.models import Plan as StoredPlan
from hardy_gauge.store.models import Server, Snapshot, Statement

router = APIRouter(tags=["findings"])


class EvidenceOut(BaseModel):
    what: str
    value: float
    unit: str
    source: str
    reference: float | None


class AdviceOut(BaseModel):
    title: str
    script: str
    way_back: str
    table: str
    columns: list[str]
    expected: list[EvidenceOut]
    side_effects: list[EvidenceOut]
    cautions: list[str]


class FindingOut(BaseModel):
    cause: str
    title: str
    grade: str
    server: str
    statement: str
    text: str
    share: float
    share_low: float
    share_high: float
    confidence: float
    evidence: list[EvidenceOut]
    advice: list[AdviceOut]


class Findings(BaseModel):
    findings: list[FindingOut]


def tables_of(data: Data, server: Server) -> tuple[dict[str, TableFacts], str]:
    """The server's tables as the rules want them, and its SQL dialect; empty when it reports no schema."""
    with data.store.read() as session:
        row = session.get(Snapshot, (server.id, "schema"))
    if row is None:
        return {}, "postgres"
    return {t["name"]: _table(t) for t in row.body["tables"]}, row.body["dialect"]


def _table(t: dict[str, Any]) -> TableFacts:
    columns = {c["name"]: ColumnFacts(c["name"], c["width_bytes"], c["distinct"] or 0.0) for c in t["columns"]}
    indexes = [IndexFacts(i["name"], tuple(i["columns"]), i["unique"]) for i in t["indexes"] if not i.get("predicate")]
    return TableFacts(
        t["name"], t["rows"], t["bytes"], columns, indexes, t["inserts_per_s"], t["deletes_per_s"],
        t["column_updates_per_s"],
    )  # fmt: skip


def what_if_on(data: Data, server: Server, text: str) -> WhatIf | None:
    """Asks the server's probe for a plan with one more index; None when the server cannot be asked."""
    if "explain" not in server.abilities:
        return None

    def ask(table: str, columns: list[str]) -> Plan | None:
        probe = probe_of(data.store, server.id)
        try:
            request = ExplainRequest(text=text, add_indexes=[IndexSpec(table=table, columns=columns)])
            return read_document(probe.explain(request).model_dump())
        except (ProbeError, MalformedPlan):
            return None
        finally:
            probe.close()

    return ask


def latest_plan(data: Data, server_id: int, statement_id: int, plan_key: str | None) -> Plan | None:
    """The stored plan of a statement that was in use last."""
    with data.store.read() as session:
        query = select(StoredPlan).where(StoredPlan.server_id == server_id, StoredPlan.statement_id == statement_id)
        if plan_key is not None:
            query = query.where(StoredPlan.plan_key == plan_key)
        row = session.scalars(query.order_by(StoredPlan.taken_us.desc())).first()
    return None if row is None else read_document(row.body)


def findings_of(data: Data, server: Server, window: Window, only: int | None = None) -> list[FindingOut]:
    """All findings on one server, by share of time; of one statement if ``only`` is given."""
    frame = read_intervals(data, [server], window.focus)
    if frame.is_empty():
        return []
    rows = sums(frame, ["statement"])
    in_order = frame.sort("at_us").select("statement", "plan_key")
    last_plan = dict(in_order.group_by("statement", maintain_order=True).agg(pl.col("plan_key").last()).iter_rows())
    earlier, _ = reference_sums(data, [server], window, ["statement"])
    before = {r["statement"]: r for r in earlier.iter_rows(named=True)}
    ticks = moments(data, [server], window.focus)
    sampled = accounts(read_samples(data, [server], window.focus, ["statement"]), ["statement"], ticks)
    seen = {r["statement"]: r for r in sampled.iter_rows(named=True)}
    scale = 1 / max(float(sampled["active_sessions"].sum()), 1e-9)
    total_time = max(float(rows["time_s"].sum()), 1e-9)
    tables, dialect = tables_of(data, server)
    with data.store.read() as session:
        texts = {s.id: s for s in session.scalars(select(Statement))}
    found: list[FindingOut] = []
    for row in rows.sort("time_s", descending=True).iter_rows(named=True):
        statement = texts.get(row["statement"])
        if row["rows_examined"] is None:  # the rules there are start from rows examined
            continue
        if statement is None or (only is not None and statement.id != only):
            continue
        sample = seen.get(row["statement"])
        facts = StatementFacts(
            text=statement.text, dialect=dialect, calls=row["calls"], time_s=row["time_s"],
            rows_returned=row["rows_returned"], rows_examined=row["rows_examined"],
            share=row["time_s"] / total_time,
            share_low=sample["low"] * scale if sample else 0.0, share_high=sample["high"] * scale if sample else 1.0,
            span_s=window.focus.seconds,
            plan=latest_plan(data, server.id, statement.id, last_plan.get(row["statement"])), tables=tables,
            reference_time_per_call_s=per_call(before.get(row["statement"]), "time_s"),
            reference_examined_per_row=examined_per_row(before.get(row["statement"])),
        )  # fmt: skip
        for rule in RULES:
            finding = rule.check(facts, what_if_on(data, server, statement.text))
            if finding is not None:
                found.append(_out(finding, server, statement))
    return sorted(found, key=lambda f: -f.share)


def _out(finding: Finding, server: Server, statement: Statement) -> FindingOut:
    def lines(rows: list[Evidence]) -> list[EvidenceOut]:
        return [
            EvidenceOut(what=e.what, value=e.value, unit=e.unit, source=e.source, reference=e.reference) for e in rows
        ]

    return FindingOut(
        cause=finding.cause, title=finding.title, grade=finding.grade, server=server.name,
        statement=statement.fingerprint, text=statement.text, share=finding.share, share_low=finding.share_low,
        share_high=min(1.0, finding.share_high), confidence=finding.confidence, evidence=lines(finding.evidence),
        advice=[
            AdviceOut(
                title=a.title, script=a.script, way_back=a.way_back, table=a.table, columns=a.columns,
                expected=lines(a.expected), side_effects=lines(a.side_effects), cautions=a.cautions,
            )
            for a in finding.advice
        ],
    )  # fmt: skip


@router.get("/findings")
def findings(data: CurrentData, window: CurrentWindow, scope: str = "fleet") -> Findings:
    return Findings(findings=[f for server in servers_in(data, scope) for f in findings_of(data, server, window)])
