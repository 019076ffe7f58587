"""Plans of SQLite: rows of its EXPLAIN QUERY PLAN as a JSON list of {"id", "parent", "detail"}.

SQLite gives no times or rows for steps, so these plans have a shape but no own times.
"""

from __future__ import annotations

import re
from typing import Any

from hardy_gauge.core.plans.model import MalformedPlan, Plan, Step

NAME = "SQLite query plan"
_ACCESS = re.compile(
    r"^(SCAN|SEARCH) (\S+)(?: AS \S+)?(?: USING (AUTOMATIC )?(COVERING )?(?:INDEX (\S+)|INTEGER PRIMARY KEY))?(?: ?\((.*)\))?"
)


def matches(document: object) -> bool:
    """Whether a document is the rows of ``EXPLAIN QUERY PLAN``."""
    return isinstance(document, list) and bool(document) and isinstance(document[0], dict) and "detail" in document[0]


def read(document: Any) -> Plan:
    """The plan, without costs and times, which SQLite does not report; MalformedPlan names what is wrong."""
    root = Step("statement", "the statement")
    steps: dict[int, Step] = {0: root}
    for i, row in enumerate(document):
        if not isinstance(row, dict) or not isinstance(row.get("detail"), str) or row.get("parent") not in steps:
            raise MalformedPlan(f"row {i}: id, a parent seen before, and detail were expected", f"{i}.parent")
        steps[int(row["id"])] = step = step_of(row["detail"])
        steps[row["parent"]].steps.append(step)
    return Plan(root, NAME)


def step_of(detail: str) -> Step:
    """One line of the plan in our words."""
    match = _ACCESS.match(detail)
    if match is None:
        return Step("sort" if "ORDER BY" in detail or "GROUP BY" in detail else "step", detail.lower())
    verb, table, automatic, covering, index, condition = match.groups()
    if verb == "SCAN":
        order = f" in the order of {index}" if index else ""
        return Step("scan", f"read all of {table}{order}", object=table, index=index)
    operation = "index only" if covering else "index lookup"
    name = "an index built for this run" if automatic else index or "its key"
    words = f"find rows of {table} through {name}"
    return Step(operation, words, object=table, index=index, predicate=condition)
