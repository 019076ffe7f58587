"""How a plan works on its rows: estimates, memory, loops, workers, what comes beside the steps."""

from __future__ import annotations

from collections.abc import Iterator

from hardy_gauge.core.checks.plan.reading import MANY_ROWS, PlanCheck, PlanSubject
from hardy_gauge.core.figures.formatting import amount, duration, share, size

OFF, WORTH = 10.0, 0.1
MANY_LOOPS = 1000.0
SLOW_PLANNING_S = 0.005
MUCH = 0.3


def _estimate_off(subject: PlanSubject) -> Iterator[str]:
    total = subject.plan.time_s or 0.0
    for step in subject.steps():
        if step.rows_seen is None or (step.own_time_s or 0.0) < WORTH * total:
            continue
        more, less = max(step.rows_seen, 1.0), max(step.rows_expected, 1.0)
        if max(more / less, less / more) >= OFF and max(more, less) >= 100 * max(step.loops, 1.0):
            yield f"{step.words} gives {amount(step.rows_seen)} rows where {amount(step.rows_expected)} were expected"


def _spills(subject: PlanSubject) -> Iterator[str]:
    for step in subject.steps():
        if step.spilled_bytes:
            wanted = f"; it would need {size(step.memory_wanted_bytes)} of memory" if step.memory_wanted_bytes else ""
            yield f"{step.words} writes {size(step.spilled_bytes)} to disk{wanted}"


def _many_loops(subject: PlanSubject) -> Iterator[str]:
    for step in subject.steps():
        if step.operation == "nested loop" and len(step.steps) > 1:
            inner = step.steps[1]
            loops = inner.loops if step.rows_seen is not None else step.steps[0].rows_expected
            if loops >= MANY_ROWS:
                yield f"{inner.words} is done {amount(loops)} times"


def _cartesian(subject: PlanSubject) -> Iterator[str]:
    for step in subject.steps():
        if step.operation != "nested loop" or step.predicate or len(step.steps) < 2:
            continue
        outer, inner = step.steps[:2]
        each = [
            (one.rows_seen if one.rows_seen is not None else one.rows_expected) / max(one.loops, 1.0)
            for one in (outer, inner)
        ]
        # what a row of one side looks up of the other has that row's value in a condition
        bare = not any(below.predicate for _, below in inner.walk())
        if bare and each[0] > 1 and each[1] > 1 and each[0] * each[1] >= MANY_ROWS:
            yield f"each of {amount(each[0])} rows is put together with each of {amount(each[1])}"


def _repeated(subject: PlanSubject) -> Iterator[str]:
    for step in subject.steps():
        if step.result.startswith("SubPlan") and step.loops >= MANY_LOOPS:
            yield f"{step.words} is run {amount(step.loops)} times, once for each row"


def _sort_for_first(subject: PlanSubject) -> Iterator[str]:
    for limit in subject.steps():
        if limit.operation != "limit" or not limit.steps:
            continue
        sort = limit.steps[0]
        below = sort.steps[0] if sort.steps else None
        if sort.operation == "sort" and below is not None and not below.steps and below.object:
            rows = below.rows_seen if below.rows_seen is not None else below.rows_expected
            wanted = limit.rows_seen if limit.rows_seen is not None else limit.rows_expected
            if rows >= MANY_ROWS / 10 and rows >= 100 * max(wanted, 1.0):
                yield f"{amount(rows)} rows of {below.object} are sorted for the first {amount(wanted)}"


def _workers(subject: PlanSubject) -> Iterator[str]:
    for step in subject.steps():
        if step.workers_planned and step.workers_launched is not None and step.workers_launched < step.workers_planned:
            yield f"{step.workers_launched:.0f} of {step.workers_planned:.0f} workers started"


def _planning(subject: PlanSubject) -> Iterator[str]:
    plan = subject.plan
    if plan.planning_s is not None and plan.time_s is not None and plan.planning_s > max(plan.time_s, SLOW_PLANNING_S):
        yield f"planning took {duration(plan.planning_s)}, running it {duration(plan.time_s)}"


def _compiling(subject: PlanSubject) -> Iterator[str]:
    plan = subject.plan
    if plan.compiled_s and plan.time_s and plan.compiled_s >= MUCH * plan.time_s and plan.compiled_s >= SLOW_PLANNING_S:
        yield f"{duration(plan.compiled_s)} of {duration(plan.time_s)} went into compiling expressions"


def _triggers(subject: PlanSubject) -> Iterator[str]:
    total = subject.plan.total_s or 0.0
    for one in subject.plan.triggers:
        if total and one.time_s >= MUCH * total and one.time_s >= SLOW_PLANNING_S:
            yield f"{one.name} on {one.object} took {duration(one.time_s)}, {share(one.time_s / total)} of the whole, in {amount(one.calls)} calls"


CHECKS = (
    PlanCheck(
        "plan_estimate_off", "plan", "The planner was far off in the rows of a step that costs", "plan", "Joins, memory and workers are chosen for rows that are not there.",
        "Gather statistics; for columns that depend on each other gather them together; a function hides its rows from the planner.", "Gathering statistics is safe and may change other plans.", 0.85, _estimate_off,
    ),
    PlanCheck(
        "plan_spills", "plan", "A step writes to disk what does not fit into its memory", "plan", "Sorting and hashing on disk takes several times as long.",
        "Return fewer or narrower rows, let an index give the order, or give this service more memory for it.", "Memory is taken by each session: try with the number of them that there is.", 0.9, _spills,
    ),
    PlanCheck(
        "plan_many_loops", "plan", "A nested loop goes round very often", "plan", "Each round costs little; so many cost more than reading the other side once.",
        "See whether the rows of the outer side were estimated too few; then statistics or another join help.", "Safe to look into.", 0.7, _many_loops,
    ),
    PlanCheck(
        "plan_cartesian", "plan", "Every row is put together with every row", "plan", "The work is the product of both sides, and grows with both.",
        "Add the condition that joins the two; where the product is meant, leave it.", "The rows change: it is another question.", 0.8, _cartesian,
    ),
    PlanCheck(
        "plan_repeated_subquery", "plan", "A sub-query is run again for each row", "plan", "Its time is taken as often as there are rows above it.",
        "Join it, or compute it once for all keys and join that.", "Compare the rows of both texts before.", 0.85, _repeated,
    ),
    PlanCheck(
        "plan_sort_for_first", "plan", "Many rows are sorted for the first few", "plan", "An index in that order gives the first ones at once.",
        "Build an index over the condition's columns and then the order's.", "An index is built beside the work; try it on a twin first.", 0.8, _sort_for_first,
    ),
    PlanCheck(
        "plan_workers_missing", "plan", "Fewer workers started than were planned", "note", "The plan was chosen for more of them, and takes longer so.",
        "See how many workers the server may have in all, and who else takes them.", "More workers take more memory and more cores.", 0.8, _workers,
    ),
    PlanCheck(
        "plan_planning_dear", "plan", "Planning takes longer than running", "note", "Each call pays for it anew.",
        "Prepare the statement once and run it often; fewer partitions and joins plan faster.", "A prepared plan is for any value: see whether values differ much.", 0.8, _planning,
    ),
    PlanCheck(
        "plan_compiling_dear", "plan", "Compiling expressions takes a large part of the time", "plan", "It pays for long statements and not for short ones.",
        "Raise the cost from which on statements are compiled, or switch it off for this service.", "Long reports may want it: set it for the service and not for all.", 0.85, _compiling,
    ),
    PlanCheck(
        "plan_trigger_dear", "plan", "A trigger or a constraint takes a large part of the time", "plan", "It is work that the text does not show.",
        "Give a foreign key's column an index; write a trigger for all rows at once.", "What the trigger keeps right must stay right.", 0.85, _triggers,
    ),
)  # fmt: skip
