"""Ways to read one table: whole, or through an index. Costs follow the published page and row weights.

Weights as in the PostgreSQL documentation, "Using EXPLAIN": a page in order 1.0, a row 0.01, an index
entry 0.005, an operator 0.0025; so 345 pages and 10,000 rows cost 345 + 100 = 445.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from practice_fleet.catalogue import ENTRY_OVERHEAD_BYTES, INDEX_FILL, Catalogue, Index
from practice_fleet.plan import Demand, Node
from practice_fleet.query import Predicate
from practice_fleet.scenario import PAGE_BYTES, TableSpec

SEQUENTIAL_PAGE, ROW, INDEX_ROW, OPERATOR = 1.0, 0.01, 0.005, 0.0025
RANGE_SHARE = 0.005
OTHER_SHARE = 0.1

ROW_S, OPERATOR_S, PAGE_S, DESCENT_S, INDEX_ROW_S = 0.06e-6, 0.02e-6, 1.0e-6, 1.5e-6, 0.1e-6


@dataclass(frozen=True)
class Costing:
    """The settings that the planner's costs depend on."""

    random_page: float
    sort_memory: float


@dataclass(frozen=True)
class Access:
    """A step that reads one table, and the columns in whose order its rows come."""

    node: Node
    order: tuple[str, ...]


def selectivity(table: TableSpec, predicate: Predicate) -> float:
    """Share of rows that pass: 1/distinct for equality, a fixed share for ranges and what is not understood."""
    column = table.columns[predicate.column]
    if predicate.form == "equality":
        return min(1.0, predicate.values * (1 - column.null_share) / column.distinct)
    if predicate.form == "null":
        return column.null_share
    return RANGE_SHARE if predicate.form == "range" else OTHER_SHARE


def combined(table: TableSpec, predicates: list[Predicate]) -> float:
    """Selectivity of a conjunction, the columns taken as independent."""
    return math.prod(selectivity(table, p) for p in predicates)


def text_of(predicates: list[Predicate]) -> str | None:
    return " and ".join(p.sql for p in predicates) or None


def scan_cost(pages: float, rows: float, predicates: int) -> float:
    return pages * SEQUENTIAL_PAGE + rows * (ROW + OPERATOR * predicates)


def scan(catalogue: Catalogue, name: str, predicates: list[Predicate], rows_true: float) -> Access:
    """Read every page of the table and keep the rows that pass."""
    table = catalogue.tables[name]
    demand = Demand(
        processor_s=table.rows * (ROW_S + OPERATOR_S * len(predicates)) + table.pages * PAGE_S,
        stream={name: table.pages},
    )
    node = Node(
        "scan", f"read all of {name}", table.rows * combined(table, predicates), rows_true,
        scan_cost(table.pages, table.rows, len(predicates)), demand,
        table=name, predicate=text_of(predicates), examined=table.rows,
    )  # fmt: skip
    return Access(node, ())


def matched(index: Index, predicates: list[Predicate]) -> list[Predicate]:
    """The predicates an index serves: equality on its leading columns, then at most one range."""
    used: list[Predicate] = []
    for column in index.columns:
        here = [p for p in predicates if p.column == column and p.form in ("equality", "range")]
        if not here:
            break
        equal = [p for p in here if p.form == "equality"]
        used.append((equal or here)[0])
        if not equal:
            break
    return used


def through(
    catalogue: Catalogue, index: Index, predicates: list[Predicate], rows_true: float, needed: set[str],
    loops: float, costing: Costing,
) -> Access | None:  # fmt: skip
    """Look rows up by the index, ``loops`` times; None when the index serves none of the predicates."""
    used = matched(index, predicates)
    if not used:
        return None
    table = catalogue.tables[index.table]
    rest = [p for p in predicates if p not in used]
    expected = combined(table, predicates) * table.rows
    fetched = 1.0 if index.unique and len(used) == len(index.columns) else combined(table, used) * table.rows
    true_fetched = max(rows_true / max(combined(table, rest), 1e-12), rows_true) if rows_true > expected else fetched
    only = needed <= set(index.columns)
    entry = ENTRY_OVERHEAD_BYTES + sum(table.columns[c].width for c in index.columns)
    leaves = max(1.0, fetched * entry / (PAGE_BYTES * INDEX_FILL))
    heap = 0.0 if only else min(fetched, table.pages * (1 - math.exp(-fetched / table.pages)))
    cost = loops * (
        math.ceil(math.log2(max(table.rows, 2))) * OPERATOR + (index.height + 1) * 50 * OPERATOR
        + costing.random_page + (leaves - 1) * SEQUENTIAL_PAGE + heap * costing.random_page
        + fetched * (INDEX_ROW + ROW + OPERATOR * len(predicates))
    )  # fmt: skip
    ratio = true_fetched / max(fetched, 1e-12)
    demand = Demand(
        processor_s=loops * (DESCENT_S * index.height + true_fetched * (INDEX_ROW_S + ROW_S) + PAGE_S),
        random={index.name: loops * max(1.0, leaves * ratio)},
    )
    if heap:
        demand.random[index.table] = loops * min(heap * ratio, table.pages)
    operation = "index only" if only else "index lookup"
    node = Node(
        operation, f"find rows of {index.table} by {', '.join(index.columns[: len(used)])}",
        expected * loops, rows_true * loops, cost, demand, table=index.table, index=index.name,
        predicate=text_of(predicates), examined=true_fetched * loops, loops=loops,
    )  # fmt: skip
    return Access(node, index.columns[sum(p.form == "equality" for p in used) :])


def paths(
    catalogue: Catalogue, name: str, predicates: list[Predicate], rows_true: float, needed: set[str],
    loops: float, costing: Costing,
) -> list[Access]:  # fmt: skip
    """Every way to read the table ``loops`` times (a scan only once)."""
    found = [scan(catalogue, name, predicates, rows_true)] if loops == 1 else []
    for index in catalogue.on(name):
        access = through(catalogue, index, predicates, rows_true, needed, loops, costing)
        if access:
            found.append(access)
    return found
