"""Stored plans of a server."""

from __future__ import annotations

from sqlalchemy import select

from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.core.plans.sheet import PlanSource
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
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
