"""A plan as it is shown: steps in reading order with own times and places, and sums by operation and object."""

from __future__ import annotations

from dataclasses import dataclass, fields

from hardy_gauge.core.narrative.plan import estimate_words, plan_sentence, step_notes, what_if_words
from hardy_gauge.core.plans.model import Account, Plan, Step
from hardy_gauge.core.plans.own_time import Sum, by_key


@dataclass(frozen=True)
class StepOut:
    """One step; ``start_s`` places it beside the steps that feed the same step, ``own_share`` is of the whole time."""

    number: int
    depth: int
    operation: str
    words: str
    object: str | None
    index: str | None
    predicate: str | None
    rows_expected: float | None
    rows_seen: float | None
    estimate: str
    rows_examined: float | None
    loops: float
    cost: float | None
    time_s: float | None
    own_time_s: float | None
    own_share: float | None
    start_s: float | None
    pages_requested: float | None
    pages_read: float | None
    processes: float
    summed_s: float | None
    workers_planned: float | None
    workers_launched: float | None
    rows_removed: float | None
    memory_bytes: float | None
    memory_wanted_bytes: float | None
    spilled_bytes: float | None
    moved_rows: float | None
    moved_bytes: float | None
    includes_below: bool
    never_run: bool
    notes: list[str]


_SAME = tuple(field.name for field in fields(StepOut) if field.name in {own.name for own in fields(Step)})


@dataclass(frozen=True)
class PlanSource:
    """Where a plan is from, where that is known."""

    server: str | None = None
    statement: str | None = None
    text: str | None = None
    taken_us: int | None = None


@dataclass(frozen=True)
class PlanOut:
    """``accounts`` add up to ``total_s``, the own times of the steps to that of "steps". Steps in reading order, with sums of their own times; ``comparison`` with the plan before a change, if there is one."""

    sentence: str
    comparison: str
    plan_id: str
    source: str
    time_s: float | None
    cost: float | None
    total_s: float | None
    accounts: list[Account]
    compiled_s: float | None
    steps: list[StepOut]
    by_operation: list[Sum]
    by_object: list[Sum]
    server: str | None
    statement: str | None
    text: str | None
    taken_us: int | None


def plan_sheet(plan: Plan, of: PlanSource | None = None, before: Plan | None = None) -> PlanOut:
    """The plan as the interface shows it; ``before`` is what it is without a change."""
    of = of or PlanSource()
    steps: list[StepOut] = []
    told = any(step.rows_expected for _, step in plan.root.walk())
    _add(steps, plan.root, 0, 0.0 if plan.time_s is not None else None, plan.time_s, told)
    return PlanOut(
        plan_sentence(plan), what_if_words(plan, before), plan.plan_id, plan.source, plan.time_s, plan.cost, plan.total_s, plan.accounts(),
        plan.compiled_s, steps, by_key(plan, "operation"),
        by_key(plan, "object"), of.server, of.statement, of.text, of.taken_us,
    )  # fmt: skip


def _add(steps: list[StepOut], step: Step, depth: int, start: float | None, total: float | None, told: bool) -> float:
    """Add a step and all below it; the sum of their own times. ``told``: the plan says how many rows it expects."""
    own = step.own_time_s
    same = {name: getattr(step, name) for name in _SAME}
    same["rows_expected"] = step.rows_expected if told else None
    share = own / total if own is not None and total else None
    estimate = estimate_words(step.rows_expected, step.rows_seen)
    steps.append(
        StepOut(
            number=len(steps) + 1,
            depth=depth,
            own_share=share,
            start_s=start,
            estimate=estimate,
            notes=step_notes(step),
            **same,
        )
    )
    below_s = 0.0
    for below in step.steps:
        below_s += _add(steps, below, depth + 1, None if start is None else start + below_s, total, told)
    return (own or 0.0) + below_s
