"""Own time: the time of a step without the steps below it."""

from __future__ import annotations

from hardy_gauge.core.plans.model import Plan, Step


def fill_own_times(plan: Plan) -> Plan:
    """Set ``own_time_s`` on every step that was run, so that all own times add up to the root's time.

    A step's time includes what is below it. Clock reads inside an engine can make the parts exceed the
    whole by a little; the parts are then scaled to fit, never cut to a negative own time.
    """
    _fill(plan.root, plan.root.time_s)
    return plan


def _fill(step: Step, time: float | None) -> None:
    if time is None:
        for below in step.steps:
            _fill(below, None)
        return
    below_times = [max(below.time_s or 0.0, 0.0) for below in step.steps]
    below_sum = sum(below_times)
    fit = time / below_sum if below_sum > time > 0 or (below_sum > 0 and time == 0) else 1.0
    step.own_time_s = max(0.0, time - below_sum * fit)
    for below, seconds in zip(step.steps, below_times, strict=True):
        _fill(below, None if below.never_run else seconds * fit)


def by_key(plan: Plan, key: str) -> list[dict[str, float | str]]:
    """Own time, rows and pages summed by ``operation`` or by ``object``, most own time first."""
    sums: dict[str, dict[str, float]] = {}
    for _, step in plan.root.walk():
        name = str(getattr(step, key) or "no object")
        row = sums.setdefault(name, {"own_time_s": 0.0, "steps": 0.0, "rows_examined": 0.0, "pages_read": 0.0})
        row["own_time_s"] += step.own_time_s or 0.0
        row["steps"] += 1
        row["rows_examined"] += step.rows_examined or 0.0
        row["pages_read"] += step.pages_read or 0.0
    rows: list[dict[str, float | str]] = [{"name": name, **row} for name, row in sums.items()]
    return sorted(rows, key=lambda row: -float(row["own_time_s"]))
