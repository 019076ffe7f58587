"""Choose a plan by cost: joins, then aggregate, sort and limit, or the write on top."""

from __future__ import annotations

import copy
from dataclasses import replace

from practice_fleet.planner.access import OPERATOR, PAGE_S, ROW, SEQUENTIAL_PAGE, Access, Costing
from practice_fleet.planner.catalogue import Catalogue
from practice_fleet.planner.joins import HASH_S, Joiner, row_width, sort
from practice_fleet.planner.plan import Demand, Node
from practice_fleet.planner.query import Query, read
from practice_fleet.planner.spread import Spread, spread
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.scenario.work import StatementSpec

STATEMENT_S = 120e-6
OUT_S, OUT_BYTE_S, WRITE_S = 0.4e-6, 1e-9, 8e-6
ROW_LOG_BYTES, INDEX_LOG_BYTES = 96, 64  # common practice: a record's head and what was changed


def plan(
    catalogue: Catalogue, statement: StatementSpec, costing: Costing, pinned: str | None = None,
    over: Spread | None = None,
) -> Node:  # fmt: skip
    """The cheapest plan found for a statement, or the one with the key ``pinned`` if there is such a one.

    With ``over`` the tables are one worker's parts, and the plan is spread over the workers. Refused when the text
    cannot be planned.
    """
    query = read(statement.sql, {name: set(table.columns) for name, table in catalogue.tables.items()})
    if query.kind == "insert":
        tops = [_write(catalogue, query, None, statement)]
    else:
        joined = Joiner(catalogue, query, costing, statement.matching_rows).all()
        finished = [_finish(catalogue, access, query, costing) for access in joined]
        tops = [node if query.kind == "select" else _write(catalogue, query, node, statement) for node in finished]
    if over is not None:
        wide = replace(over, width=row_width(catalogue, query))
        pages = {name: table.pages for name, table in catalogue.tables.items()}
        tops = [spread(top, wide, pages) for top in tops]
    chosen = min(tops, key=lambda node: node.total_cost())
    chosen = next((node for node in tops if node.key() == pinned), chosen)
    chosen.width = row_width(catalogue, query)
    if query.kind == "select" or over is not None:
        chosen.demand.processor_s += STATEMENT_S + chosen.rows_true * (OUT_S + chosen.width * OUT_BYTE_S)
    if query.kind == "select" and over is not None:
        chosen.below[0].demand.processor_s += STATEMENT_S
    return chosen


def _finish(catalogue: Catalogue, access: Access, query: Query, costing: Costing) -> Node:
    """The steps above the joins; the tree below is copied, because a limit may cut it short."""
    top = copy.deepcopy(access.node)
    order = tuple(query.order)
    ordered = access.order[: len(order)] == order and not query.grouped
    if query.grouped:
        top = _aggregate(catalogue, top, query, costing)
    if order and not ordered:
        limit = query.limit
        top = sort(top, query.order, row_width(catalogue, query), costing, limit)
    if query.limit is None:
        return top
    if top.operation not in ("sort", "aggregate"):
        expected = min(1.0, query.limit / max(top.rows_expected, 1.0))
        for node in top.walk():
            node.cost *= expected
        top.stop_early(min(1.0, query.limit / max(top.rows_true, 1e-9)))
    rows, true = min(query.limit, top.rows_expected), min(query.limit, top.rows_true)
    return Node("limit", f"first {query.limit}", rows, true, 0.0, Demand(), below=[top])


def _aggregate(catalogue: Catalogue, top: Node, query: Query, costing: Costing) -> Node:
    groups = true_groups = 1.0
    for name, column in query.groups:
        groups *= catalogue.statistics(name, column).distinct
        true_groups *= catalogue.tables[name].columns[column].distinct
    most = (groups, true_groups)
    groups = min(groups, max(top.rows_expected, 1))
    true_groups = min(true_groups, max(top.rows_true, 1))
    work = Demand(processor_s=top.rows_true * HASH_S)
    width = row_width(catalogue, query)
    if true_groups * width > costing.groups_memory:
        work.temporary = top.rows_true * width / PAGE_BYTES
    words = f"sum up by {', '.join(c for _, c in query.groups)}" if query.groups else "sum up"
    cost = top.rows_expected * OPERATOR + groups * ROW
    return Node("aggregate", words, groups, true_groups, cost, work, below=[top], most=most)


def _write(catalogue: Catalogue, query: Query, found: Node | None, statement: StatementSpec) -> Node:
    """Insert, update or delete: heap page, the indexes touched, and the log of all of them."""
    name = query.tables[0]
    rows = found.rows_true if found else 1.0
    touched = [
        index for index in catalogue.on(name)
        if query.kind in ("insert", "delete") or query.changed & set(index.columns)
    ]  # fmt: skip
    demand = Demand(
        processor_s=STATEMENT_S + rows * (WRITE_S + len(touched) * (WRITE_S / 2 + PAGE_S)),
        random={index.name: rows for index in touched},
        log_bytes=statement.written_bytes
        + rows * (ROW_LOG_BYTES + catalogue.tables[name].row_bytes + INDEX_LOG_BYTES * len(touched)),
        dirty={name: rows} | {index.name: rows for index in touched},
    )
    cost = rows * (1 + len(touched)) * (ROW + SEQUENTIAL_PAGE)
    words = {
        "insert": f"add a row to {name}",
        "update": f"change rows of {name}",
        "delete": f"remove rows of {name}",
    }
    below = [found] if found else []
    return Node(query.kind, words[query.kind], rows, rows, cost, demand, table=name, examined=0, below=below)
