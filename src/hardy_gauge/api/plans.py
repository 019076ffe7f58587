"""Plans: stored ones with own times, any text read, and "what if" asked of a server."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body
from pydantic import BaseModel, Field
from sqlalchemy import select

from hardy_gauge.api.data import CurrentData
from hardy_gauge.api.problems import Problem
from hardy_gauge.api.window import find_server
from hardy_gauge.capture.access import probe_of
from hardy_gauge.core.plans.model import Plan, Step
from hardy_gauge.core.plans.own_time import by_key
from hardy_gauge.core.plans.readers import read_document, read_plan
from hardy_gauge.core.reference.words import duration, share
from hardy_gauge.probes.protocol import ExplainRequest, IndexSpec
from hardy_gauge.store.models import Plan as StoredPlan
from hardy_gauge.store.models import Server, Statement

router = APIRouter(tags=["plans"])


class StepOut(BaseModel):
    number: int
    depth: int
    operation: str
    words: str
    object: str | None
    index: str | None
    predicate: str | None
    rows_expected: float
    rows_seen: float | None
    rows_examined: float | None
    loops: float
    cost: float | None
    time_s: float | None
    own_time_s: float | None
    own_share: float | None
    start_s: float | None
    pages_requested: float | None
    pages_read: float | None


class Sum(BaseModel):
    name: str
    own_time_s: float
    steps: float
    rows_examined: float
    pages_read: float


class PlanOut(BaseModel):
    """Steps in reading order; ``start_s`` places each beside the steps that feed the same step."""

    sentence: str
    plan_id: str
    source: str
    time_s: float | None
    cost: float | None
    steps: list[StepOut]
    by_operation: list[Sum]
    by_object: list[Sum]
    server: str | None = None
    statement: str | None = None
    text: str | None = None
    taken_us: int | None = None


class WhatIfRequest(BaseModel):
    text: str = Field(min_length=1)
    add_indexes: list[IndexSpec] = Field(default_factory=list)
    drop_indexes: list[str] = Field(default_factory=list)


def out(plan: Plan, **more: Any) -> PlanOut:
    """The plan as the interface shows it."""
    steps: list[StepOut] = []
    _add(steps, plan.root, 0, 0.0 if plan.time_s is not None else None, plan.time_s)
    sums = {key: [Sum.model_validate(row) for row in by_key(plan, key)] for key in ("operation", "object")}
    return PlanOut(
        sentence=_sentence(plan, steps), plan_id=plan.plan_id, source=plan.source, time_s=plan.time_s, cost=plan.cost,
        steps=steps, by_operation=sums["operation"], by_object=sums["object"], **more,
    )  # fmt: skip


def _add(steps: list[StepOut], step: Step, depth: int, start: float | None, total: float | None) -> None:
    own = step.own_time_s
    steps.append(
        StepOut(
            number=len(steps) + 1, depth=depth, operation=step.operation, words=step.words, object=step.object,
            index=step.index, predicate=step.predicate, rows_expected=step.rows_expected, rows_seen=step.rows_seen,
            rows_examined=step.rows_examined, loops=step.loops, cost=step.cost, time_s=step.time_s, own_time_s=own,
            own_share=own / total if own is not None and total else None, start_s=start,
            pages_requested=step.pages_requested, pages_read=step.pages_read,
        )
    )  # fmt: skip
    at = start
    for below in step.steps:
        _add(steps, below, depth + 1, at, total)
        if at is not None:
            at += sum(s.own_time_s or 0.0 for _, s in below.walk())


def _sentence(plan: Plan, steps: list[StepOut]) -> str:
    timed = [s for s in steps if s.own_time_s is not None]
    if not timed or not plan.time_s:
        scans = [s for s in steps if s.operation == "scan"]
        reads = f"; it reads all of {scans[0].object}" if scans else ""
        return f"A plan of {len(steps)} steps, without times{reads}."
    top = max(timed, key=lambda s: s.own_time_s or 0.0)
    part = share((top.own_time_s or 0.0) / plan.time_s)
    return f"{part} of {duration(plan.time_s)} is spent in one step: {top.words}."


@router.get("/servers/{server}/plans/{plan_key}")
def stored_plan(server: str, plan_key: str, data: CurrentData) -> PlanOut:
    with data.store.read() as session:
        owner = find_server(session, server)
        row = session.scalars(
            select(StoredPlan)
            .where(StoredPlan.server_id == owner.id, StoredPlan.plan_key == plan_key)
            .order_by(StoredPlan.taken_us.desc())
        ).first()
        if row is None:
            raise Problem(404, "Unknown plan", f"no plan '{plan_key}' was taken from {server}", "plan_key")
        statement = session.get_one(Statement, row.statement_id)
        return out(
            read_document(row.body), server=server, statement=statement.fingerprint, text=statement.text,
            taken_us=row.taken_us,
        )  # fmt: skip


@router.post("/plans/read")
def read(text: Annotated[str, Body(media_type="text/plain", max_length=5_000_000)]) -> PlanOut:
    """Any plan in a known format, given as text; nothing is stored."""
    return out(read_plan(text))


@router.post("/servers/{server}/explain")
def what_if(server: str, request: WhatIfRequest, data: CurrentData) -> PlanOut:
    """The plan the server would use, with indexes that do not exist yet or without some that do."""
    with data.store.read() as session:
        owner: Server = find_server(session, server)
    probe = probe_of(data.store, owner.id)
    try:
        wanted = ExplainRequest(**request.model_dump())
        return out(read_document(probe.explain(wanted).model_dump()), server=server, text=request.text)
    finally:
        probe.close()
