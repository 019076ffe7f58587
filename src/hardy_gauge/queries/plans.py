"""Stored plans of a server."""

from __future__ import annotations

from sqlalchemy import select

from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.core.plans.sheet import PlanOut, PlanSource, plan_sheet
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.store.models import Plan, Statement


def stored_plan(reader: Reader, server: str, plan_key: str) -> PlanOut:
    """The plan of this key as it was taken last; NotFound when none was taken from the server."""
    owner = server_named(reader, server)
    with reader.store.read() as session:
        row = session.scalars(
            select(Plan)
            .where(Plan.server_id == owner.id, Plan.plan_key == plan_key)
            .order_by(Plan.taken_us.desc())
        ).first()  # fmt: skip
        if row is None:
            raise NotFound(f"no plan '{plan_key}' was taken from {server}", "plan_key", "Unknown plan")
        statement = session.get_one(Statement, row.statement_id)
    source = PlanSource(server, statement.fingerprint, statement.text, row.taken_us)
    return plan_sheet(read_document(row.body), source)
