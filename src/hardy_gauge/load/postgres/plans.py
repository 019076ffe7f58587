"""The plans that a PostgreSQL has for the statements of a trial."""

from __future__ import annotations

import random
from collections.abc import Sequence
from typing import Any

import psycopg

from hardy_gauge.core.plans.document import plan_document
from hardy_gauge.core.plans.model import MalformedPlan, Plan
from hardy_gauge.core.plans.readers.postgresql import read
from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.load.pacing import drawer
from hardy_gauge.load.parts import WorkloadStatement
from hardy_gauge.load.trial import PlanDocument

SEED = 1  # so that every arm is asked with the same values


def plans_of(
    connection: psycopg.Connection[Any], statements: Sequence[WorkloadStatement]
) -> list[PlanDocument | None]:  # fmt: skip
    """Of each statement, planned for values that are drawn as a worker draws them, and given as a worker gives them; nothing is run.

    None where the server does not plan it, and for a transaction of several. Values of columns and of recorded executions stay out of what is told: plans are kept.
    """
    draw, found = random.Random(SEED), list[PlanDocument | None]()
    cursor = psycopg.RawCursor(connection)
    for one in statements:
        values = drawer([parameter.model_dump() for parameter in one.parameters], draw)()
        if one.steps:
            found.append(None)
            continue
        try:
            row = cursor.execute(f"EXPLAIN (FORMAT JSON) {one.sql}".encode(), values).fetchone()
            plan = None if row is None else read(row[0])
            if plan is not None and (one.values_of or any(parameter.column for parameter in one.parameters)):
                _leave_values_out(plan)
            found.append(None if plan is None else plan_document(plan))
        except (psycopg.Error, MalformedPlan):
            found.append(None)
    return found


def _leave_values_out(plan: Plan) -> None:
    for _, step in plan.root.walk():
        step.predicate = step.predicate and normalise(step.predicate).text
