"""Join orders and methods: the cheapest way to each set of tables, built up from smaller sets.

Dynamic programming over left-deep trees as in P. G. Selinger and others, "Access Path Selection in a
Relational Database Management System" (SIGMOD 1979), which also keeps the cheapest way for every useful order.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable
from dataclasses import dataclass

from practice_fleet.planner.access import (
    OPERATOR,
    ROW,
    ROW_S,
    SEQUENTIAL_PAGE,
    Access,
    Costing,
    Wanted,
    paths,
    scan,
)
from practice_fleet.planner.catalogue import Catalogue
from practice_fleet.planner.plan import Demand, Node
from practice_fleet.planner.query import Join, Predicate, Query
from practice_fleet.planner.statistics import truth
from practice_fleet.scenario.units import PAGE_BYTES

SORT_S, HASH_S = 0.08e-6, 0.15e-6
HASH_OVERHEAD_BYTES = 32
Order = tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Joiner:
    """Plans the joins of one query; ``matching_rows`` overrides the true rows of its first table."""

    catalogue: Catalogue
    query: Query
    costing: Costing
    matching_rows: float | None = None

    def all(self) -> list[Access]:
        """The ways to read and join every table, one for each useful order."""
        best: dict[frozenset[str], list[Access]] = {}
        for name in self.query.tables:
            best[frozenset([name])] = self._thin(paths(self.catalogue, self._first(name), self.costing, self._order()))
        for size in range(2, len(self.query.tables) + 1):
            for names in itertools.combinations(self.query.tables, size):
                whole = frozenset(names)
                found: list[Access] = []
                linked = [n for n in names if self._keys(whole - {n}, n)] or list(names)
                for name in linked:
                    for left in best.get(whole - {name}, []):
                        found += self._join(left, whole - {name}, name, best[frozenset([name])])
                best[whole] = self._thin(found)
        return best[frozenset(self.query.tables)]

    def _order(self) -> Order:
        return tuple(self.query.order)

    def _thin(self, options: list[Access]) -> list[Access]:
        """The cheapest, and the cheapest of each order that the query or a join could use."""
        keys = {j.left for j in self.query.joins} | {j.right for j in self.query.joins} | set(self._order()[:1])
        kept: dict[tuple[str, str] | None, Access] = {}
        for option in sorted(options, key=lambda a: a.node.total_cost()):
            kept.setdefault(None, option)
            if option.order and option.order[0] in keys:
                kept.setdefault(option.order[0], option)
        return list({id(option): option for option in kept.values()}.values())

    def _predicates(self, name: str) -> list[Predicate]:
        return [p for p in self.query.predicates if p.table == name]

    def _first(self, name: str) -> Wanted:
        mine = self._predicates(name)
        rows = self.catalogue.tables[name].rows * self.catalogue.true_share(name, mine)
        if self.matching_rows is not None and name == self.query.tables[0]:
            rows = self.matching_rows
        return Wanted(name, mine, rows, self.query.needed[name])

    def _keys(self, done: Iterable[str], name: str) -> list[tuple[tuple[str, str], tuple[str, str]]]:
        """Join conditions between ``name`` and what is joined already, as (there, here)."""
        done = set(done)
        turned: list[Join] = [
            j if j.right[0] == name else Join(j.right, j.left)
            for j in self.query.joins
            if name in (j.left[0], j.right[0])
        ]
        return [(j.left, j.right) for j in turned if j.left[0] in done]

    def _shares(self, keys: list[tuple[tuple[str, str], tuple[str, str]]]) -> tuple[float, float]:
        """Share of all pairs of rows that match, expected and true: 1 ÷ the larger number of distinct values."""
        expected = true = 1.0
        for there, here in keys:
            mine, theirs = self.catalogue.statistics(*here), self.catalogue.statistics(*there)
            real, other = (truth(self.catalogue.tables[t].columns[c]) for t, c in (here, there))
            expected *= (1 - mine.null_share) * (1 - theirs.null_share) / max(mine.distinct, theirs.distinct)
            true *= (1 - real.null_share) * (1 - other.null_share) / max(real.distinct, other.distinct)
        return expected, true

    def _join(self, left: Access, done: frozenset[str], name: str, alone: list[Access]) -> list[Access]:
        keys = self._keys(done, name)
        share_expected, share_true = self._shares(keys)
        base = self._first(name)
        believed = self.catalogue.rows_expected(name) * self.catalogue.expected_share(name, base.predicates)
        expected = left.node.rows_expected * believed * share_expected
        true = left.node.rows_true * base.rows_true * share_true
        found = self._nested(left, base, keys, expected, true, share_true)
        if keys:
            build = min(alone, key=lambda a: a.node.total_cost())
            found.append(self._hash(left, build, name, expected, true))
            found.append(self._hash(build, left, "the rows so far", expected, true))
            found.append(
                self._merge(left, min(alone, key=lambda a: self._sorted_cost(a, keys[0][1])), keys[0], expected, true)
            )
        return found

    def _nested(
        self, left: Access, base: Wanted, keys: list[tuple[tuple[str, str], tuple[str, str]]], expected: float,
        true: float, share_true: float,
    ) -> list[Access]:  # fmt: skip
        on = [Predicate(base.table, here[1], "equality", f"{base.table}.{here[1]} = {t}.{c}") for (t, c), here in keys]
        loops, true_loops = max(left.node.rows_expected, 1.0), left.node.rows_true
        inner = Wanted(
            base.table, base.predicates + on, base.rows_true * share_true, base.needed, loops, true_loops, True
        )  # fmt: skip
        options = [access.node for access in paths(self.catalogue, inner, self.costing)]
        if not keys or self.catalogue.tables[base.table].pages < 20:
            kept = scan(self.catalogue, base).node
            kept.words += ", kept to be read again"
            kept.cost += (loops - 1) * kept.rows_expected * OPERATOR
            kept.demand.processor_s += max(true_loops - 1, 0.0) * kept.rows_true * ROW_S
            options.append(kept)
        found = []
        for node in options:
            work = Demand(processor_s=true * ROW_S)
            words = f"for each row, its {base.table}"
            top = Node("nested loop", words, expected, true, expected * ROW, work, below=[left.node, node])
            found.append(Access(top, left.order))
        return found

    def _hash(self, probe: Access, build: Access, name: str, expected: float, true: float) -> Access:
        into, by = build.node, probe.node
        cost = into.rows_expected * (OPERATOR + ROW) + by.rows_expected * OPERATOR + expected * ROW
        work = Demand(processor_s=(into.rows_true + by.rows_true) * HASH_S + true * ROW_S)
        width = self._width()
        if into.rows_expected * (width + HASH_OVERHEAD_BYTES) > self.costing.sort_memory:
            cost += 2 * SEQUENTIAL_PAGE * (into.rows_expected + by.rows_expected) * width / PAGE_BYTES
        if into.rows_true * (width + HASH_OVERHEAD_BYTES) > self.costing.sort_memory:
            work.temporary = (into.rows_true + by.rows_true) * width / PAGE_BYTES
        return Access(Node("hash join", f"match with {name}", expected, true, cost, work, below=[by, into]))

    def _sorted_cost(self, access: Access, key: tuple[str, str]) -> float:
        extra = 0.0 if access.order[:1] == (key,) else sort_cost(access.node.rows_expected)
        return access.node.total_cost() + extra

    def _merge(
        self, left: Access, right: Access, key: tuple[tuple[str, str], tuple[str, str]], expected: float, true: float
    ) -> Access:
        sides = []
        for access, column in ((left, key[0]), (right, key[1])):
            ordered = access.order[:1] == (column,)
            sides.append(access.node if ordered else sort(access.node, [column], self._width(), self.costing))
        rows = sum(side.rows_expected for side in sides)
        work = Demand(processor_s=sum(side.rows_true for side in sides) * ROW_S + true * ROW_S)
        words = f"run along {key[0][0]} and {key[1][0]} together"
        top = Node("merge join", words, expected, true, rows * OPERATOR + expected * ROW, work, below=sides)
        return Access(top, (key[0],))

    def _width(self) -> float:
        return row_width(self.catalogue, self.query)


def row_width(catalogue: Catalogue, query: Query) -> float:
    """Bytes of one row with every column that the query needs."""
    return 16 + sum(catalogue.tables[t].columns[c].width for t, cs in query.needed.items() for c in cs)


def sort_cost(rows: float) -> float:
    return 2 * OPERATOR * rows * math.log2(max(rows, 2))


def sort(below: Node, by: list[tuple[str, str]], width: float, costing: Costing, first: int | None = None) -> Node:
    """Sort rows in memory, or by temporary files when they do not fit; ``first`` keeps only so many."""
    rows = max(below.rows_true, 1.0)
    kept = min(rows, first or rows)
    spilled = rows * width if kept * width > costing.sort_memory else 0.0
    expected = max(below.rows_expected, 1.0)
    cost = 2 * OPERATOR * expected * math.log2(max(min(expected, 2 * (first or expected)), 2))
    if min(expected, first or expected) * width > costing.sort_memory:
        cost += 2 * SEQUENTIAL_PAGE * expected * width / PAGE_BYTES
    work = Demand(processor_s=rows * math.log2(max(min(rows, 2 * kept), 2)) * SORT_S, temporary=spilled / PAGE_BYTES)
    words = f"order by {', '.join(column for _, column in by)}"
    return Node("sort", words, below.rows_expected, below.rows_true, cost, work, below=[below])
