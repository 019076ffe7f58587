"""Plans of PostgreSQL as JSON (its EXPLAIN with FORMAT JSON, with or without ANALYZE and BUFFERS).

Times and rows there are averages over loops; parallel workers add loops that run beside each other, so
a step's elapsed time is its average times the loops of the process above it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from hardy_gauge.core.plans.model import MalformedPlan, Plan, Step, TriggerWork
from hardy_gauge.core.plans.readers.number import number
from hardy_gauge.core.plans.readers.postgresql_memory import memory_of
from hardy_gauge.core.plans.readers.postgresql_results import place_named_plans

NAME = "PostgreSQL JSON"

_OPERATIONS = {
    "Seq Scan": "scan", "Index Scan": "index lookup", "Index Only Scan": "index only", "Bitmap Heap Scan": "bitmap fetch",
    "Bitmap Index Scan": "bitmap of index", "Nested Loop": "nested loop", "Hash Join": "hash join",
    "Merge Join": "merge join", "Sort": "sort", "Incremental Sort": "sort", "Aggregate": "aggregate", "Limit": "limit",
    "ModifyTable": "write", "Hash": "build hash", "Gather": "gather", "Gather Merge": "gather",
}  # fmt: skip
# the first two are of a scan, the others of a join
_REMOVED = (
    "Rows Removed by Filter",
    "Rows Removed by Index Recheck",
    "Rows Removed by Join Filter",
    "Rows Removed by Conflict",
)
_CONDITIONS = ("Index Cond", "Recheck Cond", "Filter", "Hash Cond", "Merge Cond", "Join Filter")


def matches(document: object) -> bool:
    """Whether a document is a plan as PostgreSQL writes one as JSON."""
    if isinstance(document, list) and document:
        document = document[0]
    return isinstance(document, dict) and "Plan" in document


def read(document: Any) -> Plan:
    """The plan; MalformedPlan names what is wrong. Loops and parallel processes are turned into elapsed time."""
    top = document[0] if isinstance(document, list) else document
    node = top["Plan"]
    if not isinstance(node, dict):
        raise MalformedPlan("Plan: an object was expected", "Plan")
    root = place_named_plans(_step(node, 1.0, "Plan"))
    planning, execution = _milliseconds(top, "Planning Time"), _milliseconds(top, "Execution Time")
    return Plan(
        root, NAME, cost=root.cost, time_s=root.time_s, planning_s=planning, execution_s=execution,
        compiled_s=_compiled(top), triggers=tuple(_triggers(top)),
    )  # fmt: skip


def _milliseconds(node: dict[str, Any], name: str) -> float | None:
    value = number(node, name, "plan")
    return None if value is None else value / 1000


def _compiled(top: dict[str, Any]) -> float | None:
    jit = top.get("JIT")
    timing = jit.get("Timing") if isinstance(jit, dict) else None
    return _milliseconds(timing, "Total") if isinstance(timing, dict) else None


def _triggers(top: dict[str, Any]) -> Iterator[TriggerWork]:
    for one in top.get("Triggers") or []:
        if isinstance(one, dict):
            name = str(one.get("Constraint Name") or one.get("Trigger Name") or "trigger")
            yield TriggerWork(
                name,
                str(one.get("Relation") or ""),
                number(one, "Calls", "Triggers") or 0.0,
                _milliseconds(one, "Time") or 0.0,
            )


def _step(node: dict[str, Any], elapsed_loops: float, where: str) -> Step:
    """``elapsed_loops``: how often the process above ran this one after another."""
    kind = node.get("Node Type")
    if not isinstance(kind, str):
        raise MalformedPlan(f"{where}: a step without 'Node Type'", f"{where}.Node Type")
    loops = number(node, "Actual Loops", where)
    total = number(node, "Actual Total Time", where)
    rows = number(node, "Actual Rows", where)
    expected = number(node, "Plan Rows", where) or 0.0
    workers = number(node, "Workers Launched", where)
    never = loops == 0
    below = []
    for i, child in enumerate(node.get("Plans") or []):
        below.append(_child(node, child, workers, elapsed_loops, f"{where}.Plans.{i}"))
    times = None if total is None or loops is None else total / 1000 * min(loops, elapsed_loops)
    removed = sum(number(node, key, where) or 0.0 for key in _REMOVED)
    filtered = sum(number(node, key, where) or 0.0 for key in _REMOVED[:2])
    table = node.get("Relation Name") or node.get("CTE Name") or node.get("Function Name")
    operation = _OPERATIONS.get(kind, kind.lower())
    if operation == "write":
        operation = str(node.get("Operation", "write")).lower()
    reads = number(node, "Shared Read Blocks", where)
    hits = number(node, "Shared Hit Blocks", where)
    count = loops if loops is not None else 1.0
    return Step(
        operation=operation,
        words=_words(operation, node, table),
        object=table,
        index=node.get("Index Name"),
        predicate=" and ".join(str(node[c]) for c in _CONDITIONS if node.get(c)) or None,
        rows_expected=expected * max(count, 1.0),
        rows_seen=None if rows is None else rows * count,
        rows_examined=None if rows is None or not table else (rows + filtered) * count,
        loops=count,
        cost=number(node, "Total Cost", where),
        time_s=0.0 if never else times,
        pages_requested=None if hits is None else hits + (reads or 0.0),
        pages_read=reads,
        steps=below,
        never_run=never,
        processes=count / min(count, elapsed_loops) if count and elapsed_loops else 1.0,
        summed_s=None if total is None or loops is None else total / 1000 * loops,
        workers_planned=number(node, "Workers Planned", where),
        workers_launched=workers,
        rows_removed=removed * count if removed else None,
        result=_result_name(node),
        narrowed="Index Cond" in node if node.get("Index Name") else None,
        conditions=" ".join(str(node[c]) for c in _CONDITIONS if node.get(c)),
        **memory_of(node),
    )


def _result_name(node: dict[str, Any]) -> str:
    """What a plan that others read is called: "CTE open", "InitPlan 1 (returns $0)"."""
    relation, name = node.get("Parent Relationship"), node.get("Subplan Name")
    return str(name) if relation in ("InitPlan", "SubPlan") and name else ""


def _child(parent: dict[str, Any], child: dict[str, Any], workers: float | None, above: float, where: str) -> Step:
    if not isinstance(child, dict):
        raise MalformedPlan(f"{where}: a step was expected", where)
    loops = number(child, "Actual Loops", where) or 0.0
    if workers is not None:
        # launched workers and (if it takes part) the leader run this step beside each other
        return _step(child, max(1.0, loops / (workers + 1)), where)
    beside = (number(parent, "Actual Loops", where) or above) / max(above, 1e-9)
    return _step(child, loops / max(beside, 1.0) if loops else above, where)


def _words(operation: str, node: dict[str, Any], table: str | None) -> str:
    index = node.get("Index Name")
    if operation == "scan":
        return f"read all of {table}"
    if operation == "bitmap of index":
        return f"bitmap of {index}"
    if index and table:
        return f"find rows of {table} through {index}"
    if operation == "sort":
        return "order by " + ", ".join(node.get("Sort Key") or ["its key"])
    return f"{operation} on {table}" if table else operation
