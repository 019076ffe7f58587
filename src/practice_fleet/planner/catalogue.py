"""The tables and indexes a server has at a moment, as they are and as the planner believes them to be."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

from hardy_gauge.probes.protocol import IndexSpec, Refused
from practice_fleet.planner.query import Predicate
from practice_fleet.planner.statistics import ColumnStatistics, conjunction, gather, truth
from practice_fleet.scenario.data import TableSpec
from practice_fleet.scenario.units import PAGE_BYTES

# an entry's head and row pointer: common practice; pages of a B-tree in random order are full to ln 2 (Yao 1978, Acta Informatica 9)
ENTRY_OVERHEAD_BYTES = 11
INDEX_FILL = 0.69
FAN_OUT = 300


@dataclass(frozen=True)
class Index:
    """A sorted index; pages are its leaf pages, height the levels above them."""

    name: str
    table: str
    columns: tuple[str, ...]
    unique: bool
    pages: float

    @property
    def height(self) -> int:
        return max(1, math.ceil(math.log(max(self.pages, 2), FAN_OUT)))


@dataclass(frozen=True)
class Catalogue:
    """An immutable view; ``with_indexes`` makes the "what if" copies.

    ``tables`` is how things are; ``believed`` how they were when statistics were last gathered, in
    ``detail`` common values and buckets a column.
    """

    tables: dict[str, TableSpec]
    indexes: dict[str, Index] = field(default_factory=dict)
    believed: Mapping[str, TableSpec] = field(default_factory=dict)
    detail: int = 100

    @classmethod
    def of(
        cls, tables: dict[str, TableSpec], without: Iterable[str] = (), believed: Mapping[str, TableSpec] | None = None,
        detail: int = 100,
    ) -> Catalogue:  # fmt: skip
        gone = set(without)
        indexes = {
            index.name: make_index(tables, IndexSpec(table=name, **index.model_dump()))
            for name, table in tables.items()
            for index in table.indexes
            if index.name not in gone
        }
        return cls(tables, indexes, believed or tables, detail)

    @cached_property
    def _columns(self) -> dict[tuple[str, str], ColumnStatistics]:
        return {
            (name, column): gather(spec, self.detail)
            for name, table in self.believed.items()
            for column, spec in table.columns.items()
        }

    def statistics(self, table: str, column: str) -> ColumnStatistics:
        """What the planner believes of a column."""
        return self._columns[table, column]

    def rows_expected(self, table: str) -> float:
        return self.believed[table].rows

    def expected_share(self, table: str, predicates: list[Predicate]) -> float:
        """Share of the table's rows that the planner expects to pass."""
        seen = {id(spec): self._columns[table, name] for name, spec in self.believed[table].columns.items()}
        return conjunction(self.believed[table].columns, predicates, lambda column: seen[id(column)])

    def true_share(self, table: str, predicates: list[Predicate]) -> float:
        """Share of the table's rows that do pass."""
        return conjunction(self.tables[table].columns, predicates, truth)

    def on(self, table: str) -> list[Index]:
        return [index for index in self.indexes.values() if index.table == table]

    def with_indexes(self, add: Iterable[IndexSpec], drop: Iterable[str]) -> Catalogue:
        """A copy with indexes added and dropped; Refused names what does not exist."""
        indexes = dict(self.indexes)
        for name in drop:
            if name not in indexes:
                raise Refused(f"no index '{name}'; there are: {', '.join(sorted(indexes))}", "drop_indexes")
            del indexes[name]
        for spec in add:
            index = make_index(self.tables, spec)
            indexes[index.name] = index
        return replace(self, indexes=indexes)

    def skew_of(self, name: str) -> float:
        """How unevenly the pages of a table or an index are asked for."""
        return self.tables[name if name in self.tables else self.indexes[name].table].skew

    def pages_of(self, name: str) -> float:
        """Pages of a table or an index."""
        return self.tables[name].pages if name in self.tables else self.indexes[name].pages


def make_index(tables: dict[str, TableSpec], spec: IndexSpec) -> Index:
    """Size an index from its table; Refused when the table or a column is missing."""
    table = tables.get(spec.table)
    if table is None:
        raise Refused(f"no table '{spec.table}'; there are: {', '.join(sorted(tables))}", "add_indexes.table")
    if missing := [column for column in spec.columns if column not in table.columns]:
        raise Refused(
            f"table {spec.table} has no column {', '.join(missing)}; it has {', '.join(table.columns)}",
            "add_indexes.columns",
        )
    entry = ENTRY_OVERHEAD_BYTES + sum(table.columns[column].width for column in spec.columns)
    pages = max(1.0, table.rows * entry / (PAGE_BYTES * INDEX_FILL))
    name = spec.name or f"{spec.table}_{'_'.join(spec.columns)}"
    return Index(name, spec.table, tuple(spec.columns), spec.unique, pages)
