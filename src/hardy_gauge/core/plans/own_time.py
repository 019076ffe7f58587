"""Own time: the time of a step without the steps below it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.plans.model import Plan, Step


def fill_own_times(plan: Plan) -> Plan:
    """Set ``own_time_s`` on every step that was run, so that all own times add up to the root's time with all below.

    A step's time includes what is below it, unless the engine says that it does not. Clock reads inside an engine can make the parts
    exceed the whole by a little; the parts are then scaled to fit, never cut to a negative own time.
    """
    _fill(plan.root, plan.root.whole_s())
    return plan


def _fill(step: Step, whole: float | None) -> None:
    if whole is None:
        for below in step.steps:
            _fill(below, None)
        return
    below_times = [max(below.whole_s() or 0.0, 0.0) for below in step.steps]
    below_sum = sum(below_times)
    fit = whole / below_sum if below_sum > whole > 0 or (below_sum > 0 and whole == 0) else 1.0
    step.own_time_s = max(0.0, whole - below_sum * fit)
    for below, seconds in zip(step.steps, below_times, strict=True):
        _fill(below, None if below.never_run else seconds * fit)


@dataclass(frozen=True)
class Sum:
    """Own time, rows and pages of all steps of one operation or object."""

    name: str
    own_time_s: float
    steps: float
    rows_examined: float
    pages_read: float


def by_key(plan: Plan, key: Literal["operation", "object"]) -> list[Sum]:
    """Sums by ``operation`` or by ``object``, most own time first."""
    groups: dict[str, list[Step]] = {}
    for _, step in plan.root.walk():
        groups.setdefault(str(getattr(step, key) or "no object"), []).append(step)
    found = [
        Sum(
            name, sum(s.own_time_s or 0.0 for s in steps), float(len(steps)), sum(s.rows_examined or 0.0 for s in steps),
            sum(s.pages_read or 0.0 for s in steps),
        )
        for name, steps in groups.items()
    ]  # fmt: skip
    return sorted(found, key=lambda row: -row.own_time_s)
