"""What Plan says first."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import duration, share
from hardy_gauge.core.narrative.comparison import times
from hardy_gauge.core.plans.model import Plan

AS_EXPECTED = 2.0


def estimate_words(expected: float, seen: float | None) -> str:
    """How far the planner was off in the rows of a step; within twice is as expected (common practice)."""
    if seen is None or not expected:
        return ""
    ratio = seen / expected
    if 1 / AS_EXPECTED < ratio < AS_EXPECTED:
        return "as expected"
    if ratio >= AS_EXPECTED:
        return f"{times(ratio)} the expected"
    return f"{times(1 / ratio)} fewer than expected" if ratio > 0 else "none of the expected"


def what_if_words(plan: Plan, before: Plan | None) -> str:
    """What an index would do to a plan, by its time or, where that is not known, by its cost to the planner."""
    if before is None:
        return ""
    if plan.plan_id == before.plan_id:
        return "The plan stays the same."
    if plan.time_s is not None and before.time_s is not None:
        return f"With the change: {duration(plan.time_s)} instead of {duration(before.time_s)}."
    if plan.cost is not None and before.cost is not None:
        return f"With the change: a cost of {plan.cost:,.0f} to the planner instead of {before.cost:,.0f}."
    return "With the change the plan is another one; neither time nor cost is known of both."


def plans_words(kept: bool) -> str:
    """What the plans of a statement over time are; ``kept`` when the server reports those that it used."""
    return "" if kept else "As the server would plan it when it was asked; it does not report which plan it used."


def plan_sentence(plan: Plan) -> str:
    """In which step most of the time is spent; of a plan without times, what it reads whole."""
    steps = [step for _, step in plan.root.walk()]
    timed = [step for step in steps if step.own_time_s is not None]
    if not timed or not plan.time_s:
        scans = [step for step in steps if step.operation == "scan"]
        reads = f"; it reads all of {scans[0].object}" if scans else ""
        return f"A plan of {len(steps)} steps, without times{reads}."
    top = max(timed, key=lambda step: step.own_time_s or 0.0)
    part = share((top.own_time_s or 0.0) / plan.time_s)
    return f"{part[0].upper()}{part[1:]} of {duration(plan.time_s)} is spent in one step: {top.words}."
