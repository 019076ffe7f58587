"""Stored plans of a server."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl
from sqlalchemy import select

from hardy_gauge.core.plans.comparison import PlanComparison, compare_plans
from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.core.plans.sheet import PlanSource
from hardy_gauge.core.statements.ratios import per_call
from hardy_gauge.core.time.span import Span
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.statements import read_intervals
from hardy_gauge.store.models import Plan as StoredPlan
from hardy_gauge.store.models import Statement


def stored_plan(reader: Reader, server: str, plan_key: str) -> tuple[Plan, PlanSource]:
    """The plan of this key as it was taken last, and where it is from; NotFound when none was taken from the server."""
    owner = server_named(reader, server)
    with reader.store.read() as session:
        row = session.scalars(
            select(StoredPlan)
            .where(StoredPlan.server_id == owner.id, StoredPlan.plan_key == plan_key)
            .order_by(StoredPlan.taken_us.desc())
        ).first()  # fmt: skip
        if row is None:
            raise NotFound(f"no plan '{plan_key}' was taken from {server}", "plan_key", "Unknown plan")
        statement = session.get_one(Statement, row.statement_id)
    return read_document(row.body), PlanSource(server, statement.fingerprint, statement.text, row.taken_us)


@dataclass(frozen=True)
class PlanSide:
    """Where a plan is from, and what a call with it took in the focus; None where it was not used there, or not counted by plan."""

    plan_key: str
    source: PlanSource
    calls: float
    time_per_call_s: float | None


@dataclass(frozen=True)
class PlansBeside:
    """Two stored plans of a server beside each other."""

    comparison: PlanComparison
    first: PlanSide
    second: PlanSide


def plans_beside(reader: Reader, server: str, first: str, second: str, focus: Span) -> PlansBeside:
    """NotFound where one of them was not taken from the server."""
    plans = [stored_plan(reader, server, key) for key in (first, second)]
    frame = read_intervals(reader, [server_named(reader, server)], focus)
    sides = []
    for key, (_, source) in zip((first, second), plans, strict=True):
        mine = frame.filter(pl.col("plan_key") == key) if len(frame) else frame
        calls, time_s = (float(mine[name].sum()) if len(mine) else 0.0 for name in ("calls", "time_s"))
        sides.append(PlanSide(key, source, calls, per_call(calls, time_s)))
    return PlansBeside(compare_plans(plans[0][0], plans[1][0]), sides[0], sides[1])
