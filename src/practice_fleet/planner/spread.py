"""A plan spread over the workers of a reporting cluster: parts, what is moved between steps, and what is gathered.

Every worker holds an equal part of every table, so the plan of one part is an ordinary plan over a part of the
rows. What must meet rows of other workers is moved first: one side of a join is sent whole to every worker
(broadcast) when it is expected to be small, or both sides, and the groups of an aggregate, are written as temporary
results in partitions by their key and read back where the partition belongs (exchange), after D. DeWitt and J. Gray,
"Parallel database systems: the future of high performance database systems" (CACM 35, 1992). Results of steps between
are not returned; the coordinator gathers those of the last.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from practice_fleet.planner.access import ROW, ROW_S
from practice_fleet.planner.joins import HASH_OVERHEAD_BYTES, HASH_S
from practice_fleet.planner.plan import WRITES, Demand, Node
from practice_fleet.scenario.units import PAGE_BYTES

JOINS = ("hash join", "merge join", "nested loop")
SPLIT_S = 2e-3
TASK_S = 4e-3
PAGE_WORK_S = 20e-6


@dataclass(frozen=True)
class Spread:
    """How many workers, what each may run beside each other, and the settings that decide what is moved how.

    ``width`` is bytes of a row with every column that the query needs.
    """

    workers: int
    slots: int
    partitions: int
    broadcast_limit: float
    split_bytes: float
    memory: float
    width: float = 0.0


def spread(part: Node, how: Spread, table_pages: dict[str, float]) -> Node:
    """The whole plan with what the workers do below a ``gather``; figures of theirs are of one worker.

    ``table_pages`` are pages of one worker's part of each table.
    """
    if part.operation in WRITES:
        lands_on = how.workers if part.rows_true <= 1 else 1  # one row is on one worker, many are on all
        for node in part.walk():
            node.demand = node.demand.scaled(1 / lands_on)
            node.rows_true, node.rows_expected = node.rows_true / lands_on, node.rows_expected / lands_on
        inside = part
    else:
        inside, _ = _moved(part, how, table_pages)
    for node in inside.walk():
        node.at = "worker"
    whole = 1 if _merges(part) else how.workers
    rows, expected = inside.rows_true * whole, inside.rows_expected * whole
    work = Demand(processor_s=rows * ROW_S * 2, network=rows * how.width)
    words = f"gather the parts of {how.workers} workers"
    top = Node("gather", words, expected, rows, expected * ROW, work, below=[inside])
    top.at = "coordinator"
    return top


def _merges(part: Node) -> bool:
    """Whether every worker's result is already of the whole: a limit or one sum, not a part of the rows."""
    return part.operation == "limit" or (part.operation == "aggregate" and part.rows_true <= 1)


def _moved(node: Node, how: Spread, table_pages: dict[str, float]) -> tuple[Node, float]:
    """The step with what is moved below it, and its rows ÷ those that a part alone would have."""
    below = [_moved(child, how, table_pages) for child in node.below]
    node.below = [child for child, _ in below]
    more = math.prod(times for _, times in below)
    if node.operation == "scan" and node.table:
        splits = math.ceil(max(1.0, table_pages[node.table] * PAGE_BYTES / how.split_bytes))
        node.demand.processor_s += splits * SPLIT_S
        node.beside = splits / math.ceil(splits / how.slots)
        node.words += f" in {splits} split{'s' if splits > 1 else ''}"
        return node, 1.0
    if node.operation in JOINS:
        more *= how.workers  # a part of one side meets all of the other
        node.rows_true, node.rows_expected = node.rows_true * more, node.rows_expected * more
        _join(node, how)
        return node, more
    if more != 1:
        node.demand = node.demand.scaled(more)
    if node.operation == "aggregate" and node.rows_true > 1:
        rows = node.rows_true
        if node.most is not None:  # more rows below may be of more groups
            node.rows_expected = min(node.most[0], max(node.below[0].rows_expected, 1.0))
            node.rows_true = min(node.most[1], max(node.below[0].rows_true, 1.0))
        whole = _grouped(node, how)
        return whole, whole.rows_true / rows
    if node.operation in ("limit", "aggregate"):
        return node, 1.0
    node.rows_true, node.rows_expected = node.rows_true * more, node.rows_expected * more
    node.beside = 1.0 if node.operation == "sort" else float(how.slots)
    return node, more


def _join(node: Node, how: Spread) -> None:
    """Bring the rows of both sides together: one whole to everyone, or both by their key.

    A nested loop moves only its first side, to where the second can be looked up.
    """
    loop = node.operation == "nested loop"
    moved = 0 if loop else 1
    side = node.below[moved]
    expected, true = (rows * how.workers * how.width for rows in (side.rows_expected, side.rows_true))
    if expected <= how.broadcast_limit:
        node.below[moved] = _broadcast(side, how)
        kept = true + side.rows_true * how.workers * HASH_OVERHEAD_BYTES
        node.beside = float(how.slots)
        if loop:  # every worker looks every row up in its part
            node.below[1].demand = node.below[1].demand.scaled(how.workers)
    else:
        node.below = [_exchange(b, how, "rows") if b is side or not loop else b for b in node.below]
        kept = (true + side.rows_true * how.workers * HASH_OVERHEAD_BYTES) / how.partitions
        node.beside = node.below[moved].beside
    rows = sum(below.rows_true for below in node.below)
    node.demand = Demand(processor_s=(0.0 if loop else rows * HASH_S) + node.rows_true * ROW_S)
    if kept > how.memory and not loop:
        node.demand.temporary = rows * how.width / PAGE_BYTES


def _broadcast(below: Node, how: Spread) -> Node:
    """Send a worker's rows to all others; each then has every row."""
    every = below.rows_true * how.workers
    work = Demand(processor_s=every * HASH_S, network=every * how.width * (how.workers - 1) / how.workers)
    words = f"send every row to all {how.workers} workers"
    expected = below.rows_expected * how.workers
    return Node("broadcast", words, expected, every, below.rows_expected * ROW, work, below=[below])


def _exchange(below: Node, how: Spread, what: str) -> Node:
    """Write a worker's rows in partitions, and take those that are its own: as many tasks as there are partitions.

    With fewer partitions than workers some have nothing to do, and the others so much more.
    """
    size = below.rows_true * how.width
    tasks = how.partitions / how.workers
    work = Demand(
        processor_s=below.rows_true * HASH_S + tasks * TASK_S, temporary=size / PAGE_BYTES,
        network=size * (how.workers - 1) / how.workers,
    )  # fmt: skip
    words = f"move {what} by their key in {how.partitions} partitions"
    node = Node("exchange", words, below.rows_expected, below.rows_true, below.rows_expected * ROW, work, below=[below])
    node.beside = min(float(how.slots), tasks) if tasks < 1 else tasks / math.ceil(tasks / how.slots)
    return node


def _grouped(part: Node, how: Spread) -> Node:
    """Sum up in parts, move the groups, and sum up the parts of each group."""
    part.words += ", in parts"
    part.beside = float(how.slots)
    moved = _exchange(part, how, "groups")
    groups = max(1.0, part.rows_true / how.workers)
    expected = max(1.0, part.rows_expected / how.workers)
    work = Demand(processor_s=part.rows_true * HASH_S)
    whole = Node("aggregate", "sum up the parts of each group", expected, groups, expected * ROW, work, below=[moved])
    whole.beside = moved.beside
    return whole


def beside(root: Node) -> float:
    """Tasks that a worker runs beside each other over the whole plan: its work ÷ the time that it takes."""
    work = elapsed = 0.0
    for node in root.walk():
        if node.at == "worker":
            seconds = node.demand.processor_s + (node.demand.pages + 2 * node.demand.temporary) * PAGE_WORK_S
            work += seconds
            elapsed += seconds / node.beside
    return work / elapsed if elapsed else 1.0
