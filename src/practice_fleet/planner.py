"""Choose a plan by cost: access paths, join order and method, sort, aggregate, limit, and writes."""

from __future__ import annotations

import itertools
import math

from practice_fleet.access import (
    OPERATOR,
    PAGE_S,
    ROW,
    ROW_S,
    SEQUENTIAL_PAGE,
    Access,
    Costing,
    combined,
    paths,
)
from practice_fleet.catalogue import Catalogue
from practice_fleet.plan import Demand, Node
from practice_fleet.query import Predicate, Query, read
from practice_fleet.scenario import PAGE_BYTES, StatementSpec

STATEMENT_S = 120e-6
SORT_S, HASH_S, OUT_S, WRITE_S = 0.08e-6, 0.15e-6, 0.5e-6, 8e-6
ROW_LOG_BYTES, INDEX_LOG_BYTES = 96, 72


def plan(catalogue: Catalogue, statement: StatementSpec, costing: Costing) -> Node:
    """The cheapest plan found for a statement; Refused when its text cannot be planned."""
    query = read(statement.sql, {name: set(table.columns) for name, table in catalogue.tables.items()})
    if query.kind == "insert":
        return _write(catalogue, query, None, statement)
    root = min(_joined(catalogue, query, statement, costing), key=lambda a: _ordered_cost(a, query, costing))
    top = _finish(catalogue, root, query, costing)
    if query.kind != "select":
        return _write(catalogue, query, top, statement)
    top.demand.processor_s += STATEMENT_S + top.rows_true * OUT_S
    return top


def _true_share(catalogue: Catalogue, query: Query, statement: StatementSpec, name: str) -> float:
    """True rows of a table after its predicates: as declared for the first table, else as independent."""
    table = catalogue.tables[name]
    mine = [p for p in query.predicates if p.table == name]
    if statement.matching_rows is not None and name == query.tables[0]:
        return statement.matching_rows
    return table.rows * combined(table, mine)


def _joined(catalogue: Catalogue, query: Query, statement: StatementSpec, costing: Costing) -> list[Access]:
    """Every left-deep order of the tables, the cheapest way at each step."""
    found = []
    for order in itertools.permutations(query.tables):
        access = _first(catalogue, query, statement, order[0], costing)
        options = access
        done = {order[0]}
        for name in order[1:]:
            options = [
                joined for left in options
                for joined in _join(catalogue, query, statement, left, done, name, costing)
            ]  # fmt: skip
            done = done | {name}
        found += options
    return found


def _first(catalogue: Catalogue, query: Query, statement: StatementSpec, name: str, costing: Costing) -> list[Access]:
    mine = [p for p in query.predicates if p.table == name]
    rows_true = _true_share(catalogue, query, statement, name)
    return paths(catalogue, name, mine, rows_true, query.needed[name], 1, costing)


def _join(
    catalogue: Catalogue, query: Query, statement: StatementSpec, left: Access, done: set[str], name: str,
    costing: Costing,
) -> list[Access]:  # fmt: skip
    table = catalogue.tables[name]
    keys = [j for j in query.joins if name in (j.left[0], j.right[0]) and {j.left[0], j.right[0]} - {name} <= done]
    mine = [p for p in query.predicates if p.table == name]
    on = []
    for join in keys:
        here, there = (join.left, join.right) if join.left[0] == name else (join.right, join.left)
        on.append(Predicate(name, here[1], "equality", f"{name}.{here[1]} = {there[0]}.{there[1]}"))
    share = combined(table, mine + on)
    expected = left.node.rows_expected * table.rows * share
    true = left.node.rows_true * table.rows * share
    found: list[Access] = []
    loops = max(left.node.rows_expected, 1.0)
    for inner in paths(catalogue, name, mine + on, table.rows * share, query.needed[name], 2, costing):
        node = inner.node
        ratio = max(left.node.rows_true, 1e-9) / 2
        node.scale(ratio)
        node.cost *= loops / 2
        node.rows_expected *= loops / 2
        node.loops = max(left.node.rows_true, 1.0)
        work = Demand(processor_s=true * ROW_S)
        top = Node(
            "nested loop",
            f"for each row, its {name}",
            expected,
            true,
            expected * ROW,
            work,
            below=[left.node, node],
        )
        found.append(Access(top, left.order))
    if on:
        build = min(_first(catalogue, query, statement, name, costing), key=lambda a: a.node.total_cost()).node
        cost = (build.rows_expected + left.node.rows_expected) * (ROW + OPERATOR)
        work = Demand(processor_s=(build.rows_true + left.node.rows_true) * HASH_S)
        top = Node("hash join", f"match with {name}", expected, true, cost, work, below=[left.node, build])
        found.append(Access(top, ()))
    return found


def _needs_sort(access: Access, query: Query) -> bool:
    wanted = tuple(column for _, column in query.order)
    return bool(wanted) and access.order[: len(wanted)] != wanted


def _ordered_cost(access: Access, query: Query, costing: Costing) -> float:
    cost = access.node.total_cost()
    if _needs_sort(access, query):
        return cost + _sort_cost(access.node.rows_expected)
    if query.limit is not None and not query.grouped:
        return cost * min(1.0, query.limit / max(access.node.rows_expected, query.limit))
    return cost


def _sort_cost(rows: float) -> float:
    return 2 * OPERATOR * rows * math.log2(max(rows, 2))


def _finish(catalogue: Catalogue, access: Access, query: Query, costing: Costing) -> Node:
    top = access.node
    if query.grouped:
        groups = 1.0
        for name, column in query.groups:
            groups *= catalogue.tables[name].columns[column].distinct
        expected, true = min(groups, max(top.rows_expected, 1)), min(groups, max(top.rows_true, 1))
        work = Demand(processor_s=top.rows_true * HASH_S)
        words = f"sum up by {', '.join(c for _, c in query.groups)}" if query.groups else "sum up"
        top = Node("aggregate", words, expected, true, top.rows_expected * OPERATOR, work, below=[top])
    if query.order and (_needs_sort(access, query) or query.grouped):
        rows = max(top.rows_true, 1.0)
        width = sum(catalogue.tables[t].columns[c].width for t, cs in query.needed.items() for c in cs) + 16
        spilled = rows * width if rows * width > costing.sort_memory else 0.0
        work = Demand(processor_s=rows * math.log2(max(rows, 2)) * SORT_S, temporary=spilled / PAGE_BYTES)
        by = ", ".join(column for _, column in query.order)
        cost = _sort_cost(top.rows_expected)
        top = Node("sort", f"order by {by}", top.rows_expected, top.rows_true, cost, work, below=[top])
    if query.limit is not None:
        share = min(1.0, query.limit / max(top.rows_true, 1e-9))
        if share < 1 and top.operation not in ("sort", "aggregate"):
            top.scale(share)
        rows = min(query.limit, top.rows_expected)
        top = Node("limit", f"first {query.limit}", rows, min(query.limit, top.rows_true), 0.0, Demand(), below=[top])
    return top


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
        dirty=rows * (1 + len(touched)),
    )
    cost = rows * (1 + len(touched)) * (ROW + SEQUENTIAL_PAGE)
    words = {
        "insert": f"add a row to {name}",
        "update": f"change rows of {name}",
        "delete": f"remove rows of {name}",
    }
    below = [found] if found else []
    return Node(query.kind, words[query.kind], rows, rows, cost, demand, table=name, examined=0, below=below)
