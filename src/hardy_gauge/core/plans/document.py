"""A plan as a document of the probe protocol: the form in which plans are stored and exchanged."""

from __future__ import annotations

from dataclasses import asdict, fields
from typing import Any

from hardy_gauge.core.plans.model import Plan, Step

_OWN = {"own_time_s", "never_run", "steps", "conditions"}
_FIELDS = tuple(field.name for field in fields(Step) if field.name not in _OWN)


def plan_document(plan: Plan) -> dict[str, Any]:
    """The whole plan; its key is the hash of its shape."""
    return {
        "plan_key": plan.plan_id, "cost": plan.cost or 0.0, "time_s": plan.time_s, "root": step_document(plan.root),
        "planning_s": plan.planning_s, "execution_s": plan.execution_s, "compiled_s": plan.compiled_s,
        "triggers": [asdict(one) for one in plan.triggers],
    }  # fmt: skip


def step_document(step: Step) -> dict[str, Any]:
    """A step and those below it, without what is computed from them."""
    return {name: getattr(step, name) for name in _FIELDS} | {"steps": [step_document(below) for below in step.steps]}
