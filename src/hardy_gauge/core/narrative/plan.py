"""What Plan says first."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import amount, duration, share, size
from hardy_gauge.core.narrative.comparison import times
from hardy_gauge.core.plans.model import Plan, Step

AS_EXPECTED = 2.0


def expected_rows(rows: float | None) -> str:
    """How many rows a step is expected to give."""
    return "not told" if rows is None else f"{rows:,.0f}"


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


def step_notes(step: Step) -> list[str]:
    """What is remarkable about how a step ran, beside its figures."""
    notes = []
    if step.never_run:
        notes.append("never run")
    if step.spilled_bytes:
        wanted = f", needed {size(step.memory_wanted_bytes)} of memory" if step.memory_wanted_bytes else ""
        notes.append(f"wrote {size(step.spilled_bytes)} to disk{wanted}")
    if step.processes > 1.05 and step.summed_s is not None:
        notes.append(f"{step.processes:.3g} processes beside each other, {duration(step.summed_s)} of work together")
    if step.workers_planned and (step.workers_launched or 0.0) < step.workers_planned:
        notes.append(f"{step.workers_launched or 0:.0f} of {step.workers_planned:.0f} workers started")
    if step.rows_removed:
        notes.append(f"{amount(step.rows_removed)} rows removed")
    if step.moved_bytes or step.moved_rows:
        rows = f"{amount(step.moved_rows)} rows" if step.moved_rows else "rows"
        notes.append(
            f"moved {rows}{f', {size(step.moved_bytes)},' if step.moved_bytes else ''} to another step, which do not leave the server"
        )
    if step.result.startswith("SubPlan"):
        notes.append(f"run {amount(step.loops)} times, once for each row above it")
    elif step.result:
        notes.append(f"its result is read by others as {step.result.removeprefix('CTE ')}")
    return notes


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


def beside_notes(costs: Sequence[float | None], joins: Sequence[Sequence[str]], times: float) -> list[str]:
    """What is said under two plans beside each other; from ``times`` as many rows on a step counts as changed."""
    notes = []
    if list(joins[0]) != list(joins[1]):
        notes.append(
            f"Order in which tables are reached: {', '.join(joins[0]) or 'none'}; then {', '.join(joins[1]) or 'none'}."
        )
    if costs[0] is not None and costs[1] is not None:
        notes.append(f"Costs to the planner: {costs[0]:,.6g} and {costs[1]:,.6g}.")
    notes.append(f"Rows are those seen where the plan was run, otherwise those expected; a step counts as changed where they differ by more than {times:g} times.")  # fmt: skip
    return notes
