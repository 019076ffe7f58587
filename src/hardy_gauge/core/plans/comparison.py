"""Two plans of one statement beside each other: steps matched as trees, what changed in each, cost, rows, own time, order of joins."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.figures.formatting import counted
from hardy_gauge.core.narrative.plan import beside_notes
from hardy_gauge.core.plans.model import Plan, Step
from hardy_gauge.core.plans.sheet import StepOut, plan_sheet
from hardy_gauge.core.plans.tree_matching import matched, ordered

Match = Literal["same", "changed", "only in the first", "only in the second"]
# a step that does another thing with the same object is nearer to it than one that has nothing in common
OTHER_WAY, OTHER_OBJECT, UNLIKE = 0.4, 0.6, 1.8
TIMES = 2.0  # rows expected that differ by less are no change
SIDES = ("first", "second")


@dataclass(frozen=True)
class ComparedStep:
    """A step of one plan or of both; ``changed`` names what is not the same."""

    match: Match
    changed: Sequence[str]
    first: StepOut | None
    second: StepOut | None


@dataclass(frozen=True)
class PlanComparison:
    """``distance`` is the least number of changes (a step that comes or goes is one, another way to the same object less); ``joins`` the
    objects in the order in which each plan reaches them. Of ``costs``, ``times`` and ``joins`` the first is of the first plan.
    """

    sentence: str
    distance: float
    costs: Sequence[float | None]
    times: Sequence[float | None]
    joins: Sequence[Sequence[str]]
    steps: Sequence[ComparedStep]
    notes: Sequence[str]


def compare_plans(first: Plan, second: Plan) -> PlanComparison:
    """Steps in the reading order of the first plan, those that only the second has beside what they stand with."""
    sides = [plan_sheet(plan) for plan in (first, second)]
    trees = [ordered(plan.root, lambda step: step.steps) for plan in (first, second)]
    distance, pairs = matched(trees[0], trees[1], _cost)
    shown = [
        {id(step): out for (_, step), out in zip(plan.root.walk(), side.steps, strict=True)}
        for plan, side in zip((first, second), sides, strict=True)
    ]
    steps = []
    for x, y in pairs:
        a = trees[0].nodes[x] if x is not None else None
        b = trees[1].nodes[y] if y is not None else None
        changed = _changed(a, b) if a is not None and b is not None else []
        match: Match = (
            "only in the second"
            if a is None
            else "only in the first"
            if b is None
            else "changed"
            if changed
            else "same"
        )
        steps.append(ComparedStep(match, changed, shown[0][id(a)] if a else None, shown[1][id(b)] if b else None))
    steps.sort(key=lambda one: ((one.first or one.second).number, one.first is None))  # type: ignore[union-attr]
    joins = _objects(first.root), _objects(second.root)
    return PlanComparison(
        _sentence(first, second, steps), distance, (first.cost, second.cost), (first.time_s, second.time_s), joins, steps,
        beside_notes((first.cost, second.cost), joins, TIMES),
    )  # fmt: skip


def _cost(a: Step, b: Step) -> float:
    if a.operation == b.operation:
        return 0.0 if (a.object, a.index) == (b.object, b.index) else OTHER_OBJECT
    return OTHER_WAY if a.object is not None and a.object == b.object else UNLIKE


def _changed(a: Step, b: Step) -> list[str]:
    found = [name for name in ("operation", "object", "index", "predicate") if getattr(a, name) != getattr(b, name)]
    low, high = sorted((max(a.rows_expected, 1.0), max(b.rows_expected, 1.0)))
    if high > TIMES * low:
        found.append("rows_expected")
    if a.rows_seen is not None and b.rows_seen is not None:
        low, high = sorted((max(a.rows_seen, 1.0), max(b.rows_seen, 1.0)))
        if high > TIMES * low:
            found.append("rows_seen")
    return found


def _objects(root: Step) -> list[str]:
    """Tables in the order in which they are reached: what is below comes first."""
    return [step.object for step in ordered(root, lambda step: step.steps).nodes if step.object]


def _sentence(first: Plan, second: Plan, steps: Sequence[ComparedStep]) -> str:
    if first.plan_id == second.plan_id and all(one.match == "same" for one in steps):
        return "Both plans do the same, with figures that are alike."
    count = {
        kind: sum(one.match == kind for one in steps) for kind in ("changed", "only in the first", "only in the second")
    }
    parts = [f"{counted(number, 'step')} {kind}" for kind, number in count.items() if number]
    said = f"Of the two plans, {', '.join(parts)}"
    for name, a, b in (("measured time", first.time_s, second.time_s), ("cost", first.cost, second.cost)):
        if a and b:
            ratio = f"{b / a:.2f}" if b < 10 * a else f"{b / a:,.0f}"
            return f"{said}; the second has {ratio}× the {name} of the first."
    return f"{said}."
