"""A plan that a reader understood, as the protocol's answer."""

from __future__ import annotations

from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.plans.model import Step as CoreStep
from hardy_gauge.probes.protocol import Explained, Step


def answer(plan: Plan) -> Explained:
    """The whole plan; its key is the hash of its shape."""
    return Explained(plan_key=plan.plan_id, cost=plan.cost or 0.0, time_s=plan.time_s, root=_step(plan.root))


def _step(step: CoreStep) -> Step:
    return Step(
        operation=step.operation, words=step.words, object=step.object, index=step.index, predicate=step.predicate,
        rows_expected=step.rows_expected, rows_seen=step.rows_seen, rows_examined=step.rows_examined, loops=step.loops,
        cost=step.cost, time_s=step.time_s, pages_requested=step.pages_requested, pages_read=step.pages_read,
        steps=[_step(below) for below in step.steps],
    )  # fmt: skip
