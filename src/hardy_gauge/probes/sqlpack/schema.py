"""Tables with their columns and indexes, read in parts: of each table again only when its marker changed."""

from __future__ import annotations

import hashlib
import time
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

from hardy_gauge.probes.protocol import Column, IndexCounters, IndexFacts, Table, TableCounters
from hardy_gauge.probes.sqlpack.connection import Row
from hardy_gauge.probes.sqlpack.engine_adapter import EngineAdapter, Placed
from hardy_gauge.probes.sqlpack.pack import Pack, Query
from hardy_gauge.probes.sqlpack.values import plain

TABLES_AT_ONCE = 500
# markers cost more than the stamp, and are asked at least so often
MARKERS_S = 600.0
# those that were just asked for are not asked for again
JUST_S = 20.0
Ask = Callable[..., list[Row]]


@dataclass
class _Part:
    """What one table is made of."""

    columns: list[Placed] = field(default_factory=list)
    indexes: list[dict[str, Any]] = field(default_factory=list)
    rows: float = 0.0
    options: dict[str, str] = field(default_factory=dict)


class SchemaReader:
    """Keeps what it read of a server's tables; ``ask`` sends a query of the pack, with parameters."""

    def __init__(self, pack: Pack, ask: Ask, adapter: EngineAdapter) -> None:
        self._pack, self._ask, self._adapter = pack, ask, adapter
        self._parts: dict[str, _Part] = {}
        self._read: dict[str, str] = {}
        self._stamp = ""
        self._known: tuple[float, dict[str, str]] | None = None

    def _markers(self, oldest_s: float) -> dict[str, str]:
        """Not older than that."""
        now = time.monotonic()
        if self._known is None or now - self._known[0] > oldest_s:
            self._known = now, {row["id"]: row["marker"] for row in self._ask(self._pack.markers)}
        return self._known[1]

    def tables(self) -> list[Table]:
        """All tables as they are made now."""
        listed, markers = self._ask(self._pack.tables), self._markers(JUST_S)
        wanted = [row["id"] for row in listed if self._read.get(row["id"]) != markers.get(row["id"], "")]
        for at in range(0, len(wanted), TABLES_AT_ONCE):
            self._read_parts(wanted[at : at + TABLES_AT_ONCE])
        self._read = {row["id"]: markers.get(row["id"], "") for row in listed}
        self._parts = {one: part for one, part in self._parts.items() if one in self._read}
        found = []
        for row in listed:
            part = self._parts[row["id"]]
            part.rows, part.options = row["rows"], _options(row["options"])
            given = {name: value for name, value in plain(row).items() if name not in ("id", "options")}
            indexes = [IndexFacts(**one | {"table": row["name"]}) for one in part.indexes]
            columns = [placed.column for placed in part.columns]
            found.append(Table(**given, options=part.options, columns=columns, indexes=indexes))
        return found

    def _read_parts(self, ids: list[str]) -> None:
        parts: dict[str, _Part] = {one: _Part() for one in ids}
        for row in self._rows(self._pack.columns, ids):
            of, align = row.pop("table"), int(row.pop("align"))
            parts[of].columns.append(Placed(Column(**row), align))
        for row in self._rows(self._pack.indexes, ids):
            if row["columns"]:
                parts[row.pop("table")].indexes.append(row)
        self._parts |= parts

    def _rows(self, query: Query, ids: list[str]) -> Iterable[dict[str, Any]]:
        return (plain(row) for row in self._ask(query, ids=ids))

    def marker(self) -> str:
        """Another text whenever what ``tables`` says has changed, but for rows and bytes."""
        (row,) = self._ask(self._pack.stamp)
        same, self._stamp = row["stamp"] == self._stamp, row["stamp"]
        markers = self._markers(MARKERS_S if same else 0.0)
        together = "\n".join(f"{one} {marker}" for one, marker in sorted(markers.items()))
        return hashlib.sha256(together.encode()).hexdigest()[:32]

    def counters(self) -> tuple[list[TableCounters], list[IndexCounters]]:
        """What is counted of tables and indexes, with what they need where their columns were read before."""
        tables: list[TableCounters] = []
        names: dict[str, str] = {}
        index_bytes: dict[str, int] = defaultdict(int)
        rows_of: dict[str, float] = {}
        listed = [plain(row) for row in self._ask(self._pack.table_counters)]
        for row in listed:
            names[row["id"]], rows_of[row["id"]] = row["name"], row["rows"]
        indexes = []
        for row in map(plain, self._ask(self._pack.index_counters)):
            of = row.pop("table")
            if of in names:
                index_bytes[of] += row["bytes"]
                needed = self._index_needs(of, row["name"], rows_of[of])
                indexes.append(IndexCounters(**row, table=names[of], needed_bytes=needed))
        for row in listed:
            of = row.pop("id")
            part = self._parts.get(of)
            needs = self._adapter.needed_heap_bytes(row["rows"], part.columns, part.options) if part else None
            tables.append(TableCounters(**row, index_bytes=index_bytes[of], needed_bytes=needs))
        return tables, indexes

    def _index_needs(self, of: str, name: str, rows: float) -> int | None:
        """None for an index over expressions or a part of the rows, or of a kind whose size is not estimated."""
        part = self._parts.get(of)
        index = next((one for one in part.indexes if one["name"] == name), None) if part else None
        if part is None or index is None or index["predicate"]:
            return None
        by_name = {placed.column.name: placed for placed in part.columns}
        over: Sequence[Placed | None] = [by_name.get(one.strip('"')) for one in index["columns"]]
        known = [placed for placed in over if placed is not None]
        return (
            self._adapter.needed_index_bytes(rows, known, IndexFacts(**index | {"table": of}))
            if len(known) == len(over)
            else None
        )


def _options(options: list[str] | None) -> dict[str, str]:
    return dict(one.split("=", 1) for one in options or () if "=" in one)
