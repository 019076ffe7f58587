"""What Plan says first."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import duration, share
from hardy_gauge.core.plans.model import Plan


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
