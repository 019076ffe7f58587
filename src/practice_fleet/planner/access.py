"""Ways to read one table: whole, through an index, in an index's order, or from the index alone.

Costs follow the published page and row weights of the PostgreSQL documentation, "Using EXPLAIN": a page in
order 1.0, a row 0.01, an index entry 0.005, an operator 0.0025; so 345 pages and 10,000 rows cost
345 + 100 = 445. Pages fetched by an index: L. F. Mackert and G. M. Lohman, "Index Scans Using a Finite LRU
Buffer" (ACM TODS 14, 1989); between none and full correlation the cost goes with its square.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from practice_fleet.planner.catalogue import ENTRY_OVERHEAD_BYTES, INDEX_FILL, Catalogue, Index
from practice_fleet.planner.plan import Demand, Node
from practice_fleet.planner.query import Predicate
from practice_fleet.scenario.units import PAGE_BYTES

SEQUENTIAL_PAGE, ROW, INDEX_ROW, OPERATOR = 1.0, 0.01, 0.005, 0.0025
DESCENT_OPERATORS = 50

ROW_S, OPERATOR_S, PAGE_S, DESCENT_S, INDEX_ROW_S = 0.06e-6, 0.02e-6, 1.0e-6, 1.5e-6, 0.1e-6


@dataclass(frozen=True)
class Costing:
    """The settings that the planner's costs depend on."""

    random_page: float = 4.0
    sort_memory: float = 4 * 2**20
    groups_memory: float = 16 * 2**20


@dataclass(frozen=True)
class Access:
    """A step that reads tables, and the columns (table, column) in whose order its rows come."""

    node: Node
    order: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Wanted:
    """What one table is read for: the conditions on it, rows that truly pass each time, and columns needed.

    ``loops`` is how often the planner expects it to be read, ``true_loops`` how often it is.
    """

    table: str
    predicates: list[Predicate]
    rows_true: float
    needed: set[str]
    loops: float = 1.0
    true_loops: float = 1.0
    repeated: bool = False


def text_of(predicates: list[Predicate]) -> str | None:
    return " and ".join(p.sql for p in predicates) or None


def scan_cost(pages: float, rows: float, predicates: int) -> float:
    return pages * SEQUENTIAL_PAGE + rows * (ROW + OPERATOR * predicates)


def pages_fetched(rows: float, pages: float) -> float:
    """Distinct pages that ``rows`` rows in no order lie on (Mackert and Lohman, table within the cache)."""
    return min(2 * pages * rows / (2 * pages + rows), pages) if rows > 0 else 0.0


def scan(catalogue: Catalogue, wanted: Wanted) -> Access:
    """Read every page of the table and keep the rows that pass."""
    table, predicates = catalogue.tables[wanted.table], wanted.predicates
    demand = Demand(
        processor_s=table.rows * (ROW_S + OPERATOR_S * len(predicates)) + table.pages * PAGE_S,
        stream={wanted.table: table.pages},
    )
    believed = catalogue.rows_expected(wanted.table)
    node = Node(
        "scan", f"read all of {wanted.table}", believed * catalogue.expected_share(wanted.table, predicates),
        wanted.rows_true, scan_cost(table.pages, believed, len(predicates)), demand,
        table=wanted.table, predicate=text_of(predicates), examined=table.rows,
    )  # fmt: skip
    return Access(node)


def matched(index: Index, predicates: list[Predicate]) -> list[Predicate]:
    """The predicates an index serves: equality on its leading columns, then one column's range or prefix."""
    used: list[Predicate] = []
    for column in index.columns:
        here = [p for p in predicates if p.column == column and not p.excludes]
        equal = [p for p in here if p.form in ("equality", "null")]
        ranged = [p for p in here if p.form in ("range", "prefix")]
        used += equal[:1] or ranged
        if not equal:
            break
    return used


@dataclass(frozen=True)
class _Lookup:
    """How many index entries, leaf pages and table pages one repetition reads, expected or true."""

    entries: float
    leaves: float
    heap: float


def _lookup(catalogue: Catalogue, index: Index, entries: float, loops: float, only: bool) -> _Lookup:
    table = catalogue.tables[index.table]
    width = ENTRY_OVERHEAD_BYTES + sum(table.columns[c].width for c in index.columns)
    leaves = max(1.0, entries * width / (PAGE_BYTES * INDEX_FILL))
    if only:
        return _Lookup(entries, leaves, 0.0)
    loops = max(loops, 1.0)
    apart = pages_fetched(entries * loops, table.pages) / loops
    together = max(min(1.0, entries), entries / max(table.rows, 1) * table.pages)
    square = catalogue.statistics(index.table, index.columns[0]).correlation ** 2
    return _Lookup(entries, leaves, apart + square * (min(together, apart) - apart))


def _index_cost(catalogue: Catalogue, index: Index, found: _Lookup, costing: Costing, conditions: int) -> float:
    rows = catalogue.rows_expected(index.table)
    descent = math.ceil(math.log2(max(rows, 2))) * OPERATOR + (index.height + 1) * DESCENT_OPERATORS * OPERATOR
    return descent + found.leaves * costing.random_page + found.entries * (INDEX_ROW + OPERATOR * conditions)


def through(catalogue: Catalogue, index: Index, wanted: Wanted, costing: Costing, ordered: bool) -> list[Access]:
    """Look rows up by the index; with ``ordered`` also read the whole index for the sake of its order."""
    used = matched(index, wanted.predicates)
    only = wanted.needed <= set(index.columns)
    if not used and not ordered and not only:
        return []
    table, believed = catalogue.tables[index.table], catalogue.rows_expected(index.table)
    rest = [p for p in wanted.predicates if p not in used]
    expected = believed * catalogue.expected_share(index.table, wanted.predicates)
    every = index.unique and len([p for p in used if p.form == "equality" and len(p.equals) == 1]) == len(index.columns)
    entries = 1.0 if every else believed * catalogue.expected_share(index.table, used)
    true_entries = max(1.0 if every else table.rows * catalogue.true_share(index.table, used), wanted.rows_true)
    if not rest:  # what the index finds is what is wanted
        true_entries = wanted.rows_true
    guess = _lookup(catalogue, index, entries, wanted.loops, only)
    real = _lookup(catalogue, index, true_entries, wanted.true_loops, only)
    kept_rows = entries * (ROW + OPERATOR * len(rest))
    cost = _index_cost(catalogue, index, guess, costing, len(used)) + kept_rows
    equalities = sum(p.form in ("equality", "null") for p in used)
    order = tuple((index.table, column) for column in index.columns[equalities:])
    if any(len(p.equals) > 1 for p in used):
        order = ()
    descents = max([len(p.equals) for p in used if p.form == "equality"], default=1)

    def node(operation: str, words: str, cost: float, random: float, stream: float) -> Node:
        times = wanted.true_loops
        demand = Demand(
            processor_s=times
            * (DESCENT_S * index.height * descents + real.entries * (INDEX_ROW_S + ROW_S) + PAGE_S * (1 + real.heap)),
            random={index.name: times * max(real.leaves, descents)} if used else {},
            stream={} if used else {index.name: index.pages},
        )
        if random:
            demand.random[index.table] = times * random
        if stream:
            demand.stream[index.table] = times * stream
        return Node(
            operation, words, expected * wanted.loops, wanted.rows_true * times, cost * wanted.loops, demand,
            table=index.table, index=index.name, predicate=text_of(wanted.predicates),
            examined=real.entries * times, loops=max(times, 1.0),
        )  # fmt: skip

    by = f"by {', '.join(index.columns[: len({p.column for p in used})])}" if used else "in the order of the index"
    if only:
        return [Access(node("index only", f"find rows of {index.table} {by}, from the index alone", cost, 0, 0), order)]
    square = catalogue.statistics(index.table, index.columns[0]).correlation ** 2
    heap_cost = guess.heap * (costing.random_page + square * (SEQUENTIAL_PAGE - costing.random_page))
    plain = node("index lookup", f"find rows of {index.table} {by}", cost + heap_cost, real.heap, 0)
    found = [Access(plain, order)]
    if used and not wanted.repeated:
        part = guess.heap / max(table.pages, 1)
        nearer = math.sqrt(min(1.0, part)) if guess.heap >= 2 else 0.0
        page_cost = costing.random_page - (costing.random_page - SEQUENTIAL_PAGE) * nearer
        extra = 0.1 * OPERATOR * entries + entries * OPERATOR * len(used)
        in_order = math.sqrt(min(1.0, real.heap / max(table.pages, 1)))
        sorted_ = node(
            "index pages in order", f"find rows of {index.table} {by}, then fetch their pages in order",
            cost + guess.heap * page_cost + extra, real.heap * (1 - in_order), real.heap * in_order,
        )  # fmt: skip
        found.append(Access(sorted_))
    return found


def paths(
    catalogue: Catalogue, wanted: Wanted, costing: Costing, order: tuple[tuple[str, str], ...] = ()
) -> list[Access]:
    """Every way to read the table; one that is read repeatedly only by an index that serves a condition."""
    if wanted.repeated:
        served = [i for i in catalogue.on(wanted.table) if matched(i, wanted.predicates)]
        return [access for index in served for access in through(catalogue, index, wanted, costing, False)]
    found = [scan(catalogue, wanted)]
    for index in catalogue.on(wanted.table):
        ordered = bool(order) and order[0] == (index.table, index.columns[0])
        found += through(catalogue, index, wanted, costing, ordered)
    return found
