"""Plans whose result other steps read, put under the step in whose time they are run.

PostgreSQL lists a CTE and a query that is run once (InitPlan) under the step they belong to, but runs them when a scan of the CTE, or a
condition with the query's value, first asks: their time is part of that step's, not of the one they are listed under
(documentation, "Using EXPLAIN"; src/backend/commands/explain.c).
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from hardy_gauge.core.plans.model import Step

_RETURNS = re.compile(r"\$\d+")


def place_named_plans(root: Step) -> Step:
    """Move each named plan; one that nobody is seen to read stays."""
    for holder, named in list(_named(root)):
        reader = _reader(root, named)
        if reader is not None and reader is not holder:
            holder.steps.remove(named)
            reader.steps.append(named)
    return root


def _named(step: Step) -> Iterator[tuple[Step, Step]]:
    for below in step.steps:
        if below.result and not below.result.startswith("SubPlan"):
            yield step, below
        yield from _named(below)


def _reader(root: Step, named: Step) -> Step | None:
    inside = {id(step) for _, step in named.walk()}
    others = [step for _, step in root.walk() if id(step) not in inside and not step.never_run]
    if named.result.startswith("CTE "):
        name = named.result.removeprefix("CTE ")
        readers = [step for step in others if step.operation == "cte scan" and step.object == name]
    else:
        values = _RETURNS.findall(named.result.partition("returns")[2])
        label = named.result.partition(" (")[0]
        readers = [
            step
            for step in others
            if any(_mentions(step, value) for value in values) or f"({label})" in step.conditions
        ]
    # the first to ask runs it, and so is at least as long
    long_enough = [step for step in readers if (step.time_s or 0.0) >= 0.999 * (named.time_s or 0.0)]
    return max(long_enough, key=lambda step: step.time_s or 0.0, default=None)


def _mentions(step: Step, value: str) -> bool:
    return re.search(re.escape(value) + r"(?!\d)", step.conditions) is not None
