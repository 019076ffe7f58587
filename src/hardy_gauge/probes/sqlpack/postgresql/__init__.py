"""PostgreSQL: plans through EXPLAIN, executions and messages from its log as CSV or JSON."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl

from hardy_gauge.probes.protocol import Executions, Explained, ExplainRequest, IndexFacts, LogMessages, PlannerFacts
from hardy_gauge.probes.sqlpack.connection import Line, Row
from hardy_gauge.probes.sqlpack.engine_adapter import Placed
from hardy_gauge.probes.sqlpack.postgresql.cached_pages import cached_pages
from hardy_gauge.probes.sqlpack.postgresql.condition_count import condition_totals
from hardy_gauge.probes.sqlpack.postgresql.entries import execution_of, message_of
from hardy_gauge.probes.sqlpack.postgresql.explain import explain
from hardy_gauge.probes.sqlpack.postgresql.log_tail import LogTail
from hardy_gauge.probes.sqlpack.postgresql.needed_space import (
    HEAP_FILL,
    needed_heap_bytes,
    needed_index_bytes,
)
from hardy_gauge.probes.sqlpack.postgresql.own_query import own_rows
from hardy_gauge.probes.sqlpack.postgresql.planner_facts import read_planner_facts


class EngineAdapter:
    """Of one server; ``line`` is the probe's connection."""

    def __init__(self, line: Line) -> None:
        self.line = line
        self._tail = LogTail(line)
        self._own = Line(line.url, line.pack, line.deadline_s, line.credential)

    def close(self) -> None:
        """Close what it opened beside ``line``."""
        self._own.close()

    def own_rows(self, sql: str, most_rows: int) -> list[Row]:
        """Rows of a user's own query, on a connection of its own."""
        return own_rows(self._own, sql, most_rows)

    def explain(self, request: ExplainRequest) -> Explained:
        """The plan of a text."""
        return explain(self.line, request)

    def planner_facts(self, keep_values: bool) -> PlannerFacts:
        """From the catalogs of the database that the address names."""
        return read_planner_facts(self.line, keep_values)

    def condition_totals(self, source: str, condition: str, bytes_: float) -> dict[str, float]:
        """Over some pages of a table, drawn at random."""
        return condition_totals(self._own, source, condition, bytes_)

    def cached_pages(self) -> pl.DataFrame:
        """One look at what the cache holds, by table and index."""
        return cached_pages(self.line)

    def executions(self, since_us: int, threshold_s: float, literals: bool) -> Executions:
        """Executions of at least the threshold that ended after ``since_us``, as far as the server logs them."""
        entries = self._tail.since(since_us)
        executions = (execution_of(entry, literals) for entry in entries)
        found = [e for e in executions if e is not None and e.duration_s >= threshold_s]
        return Executions(until_us=max([since_us, *(e.at_us for e in entries)]), executions=found)

    def messages(self, since_us: int) -> LogMessages:
        """Messages from the log."""
        entries = self._tail.since(since_us)
        found = [m for m in map(message_of, entries) if m is not None]
        return LogMessages(until_us=max([since_us, *(e.at_us for e in entries)]), messages=found)

    def needed_heap_bytes(self, rows: float, columns: Sequence[Placed], options: Mapping[str, str]) -> int | None:
        """Of the table's rows at its fill factor."""
        fill = options.get("fillfactor", "")
        return needed_heap_bytes(rows, columns, int(fill) if fill.isdigit() else HEAP_FILL)

    def needed_index_bytes(self, rows: float, columns: Sequence[Placed], index: IndexFacts) -> int | None:
        """Of a B-tree."""
        if index.method != "btree":
            return None
        return needed_index_bytes(rows, columns, index.unique)
