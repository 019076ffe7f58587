"""One table of a server: its size over time, its columns, its indexes with what reads them, and the statements that touch it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl
from sqlalchemy import select

from hardy_gauge.core.narrative.objects import table_sentence
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.core.sql.touched_tables import touched_tables
from hardy_gauge.core.statements.ratios import per_call
from hardy_gauge.core.statements.sums import sums
from hardy_gauge.core.time.span import Span
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.objects import TableOut, objects_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statements import read_intervals, texts_of
from hardy_gauge.queries.table_growth import growth_of, size_over_time
from hardy_gauge.store.models import Plan as StoredPlan
from hardy_gauge.store.models import Server, Snapshot

MOST = 100


@dataclass(frozen=True)
class ColumnOut:
    """A column with what the planner knows of it; None where it knows nothing. ``indexes`` begin with it or have it further on."""

    name: str
    type: str
    width_bytes: float
    distinct: float | None
    null_share: float
    indexes: list[str]


@dataclass(frozen=True)
class TouchingStatement:
    """A statement that reads or writes the table; ``reads`` are the indexes of it that its stored plans read."""

    fingerprint: str
    text: str
    calls: float
    time_s: float
    time_share: float
    time_per_call_s: float | None
    reads: list[str]


@dataclass(frozen=True)
class SizeAt:
    """Bytes of a table with its indexes, at a time in microseconds."""

    at_us: int
    bytes: float


@dataclass(frozen=True)
class TableSheet:
    """``grows_bytes_per_day`` over the last week, None where that is not known; ``read_by`` tells for each index how many of the
    statements read it.
    """

    server: str
    sentence: str
    table: TableOut
    grows_bytes_per_day: float | None
    sizes: list[SizeAt]
    columns: list[ColumnOut]
    statements: list[TouchingStatement]
    read_by: dict[str, int]


def table_sheet_of(reader: Reader, server: Server, name: str, focus: Span) -> TableSheet:
    """NotFound where the server has no such table."""
    tables = {table.name: table for table in objects_of(reader, server, focus).tables}
    if name not in tables:
        raise NotFound(f"no table {name!r} is reported of {server.name}", "table", "Unknown table")
    with reader.store.read() as session:
        row = session.get(Snapshot, (server.id, "schema"))
    body: Any = row.body if row is not None else {"tables": [], "dialect": "postgres"}
    table = tables[name]
    statements = _touching(reader, server, name, focus, body["dialect"])
    read_by = {one.name: sum(one.name in statement.reads for statement in statements or ()) for one in table.indexes}
    sizes = size_over_time(reader, server, name, focus.until_us)
    grows, took = growth_of(sizes), None if statements is None else sum(one.time_share for one in statements)
    return TableSheet(
        server.name, table_sentence(table.name, server.name, table.rows, table.heap_bytes + (table.index_bytes or 0), grows, len(statements or ()), took), table, grows,
        [SizeAt(*one) for one in sizes], _columns(body["tables"], table), (statements or [])[:MOST], read_by,
    )  # fmt: skip


def _columns(tables: Sequence[Any], table: TableOut) -> list[ColumnOut]:
    known: Any = next((one for one in tables if one["name"] == table.name), {"columns": []})
    return [
        ColumnOut(
            one["name"], one.get("type") or "", one["width_bytes"], one.get("distinct"), one.get("null_share") or 0.0,
            [index.name for index in table.indexes if one["name"] in index.columns],
        )
        for one in known["columns"]
    ]  # fmt: skip


def _touching(reader: Reader, server: Server, table: str, focus: Span, dialect: str) -> list[TouchingStatement] | None:
    """Those called in the focus, the one with most time first; None where no statement was counted."""
    frame = read_intervals(reader, [server], focus)
    if frame.is_empty():
        return None
    texts, bare = texts_of(reader), table.rpartition(".")[2]
    totals = sums(frame.filter(pl.col("statement").is_not_null()), ["statement"])
    whole = float(totals["time_s"].sum()) or 1.0
    found = []
    for row in totals.sort("time_s", descending=True).iter_rows(named=True):
        one = texts.get(row["statement"])
        if one is None or not touched_tables(one.text, dialect) & {table, bare}:
            continue
        found.append((row, one))
    reads = _reads(reader, server, [int(row["statement"]) for row, _ in found])
    return [
        TouchingStatement(
            one.fingerprint, one.text, float(row["calls"] or 0.0), float(row["time_s"] or 0.0), float(row["time_s"] or 0.0) / whole,
            per_call(row["calls"], row["time_s"]), sorted(reads.get(int(row["statement"]), set())),
        )
        for row, one in found
    ]  # fmt: skip


def _reads(reader: Reader, server: Server, statements: Sequence[int]) -> dict[int, set[str]]:
    """The indexes that the stored plans of statements read."""
    found: dict[int, set[str]] = {}
    with reader.store.read() as session:
        rows = session.execute(
            select(StoredPlan.statement_id, StoredPlan.body).where(
                StoredPlan.server_id == server.id, StoredPlan.statement_id.in_(statements)
            )
        ).all()
    for number, body in rows:
        for _, step in read_document(body).root.walk():
            if step.index:
                found.setdefault(number, set()).add(step.index)
    return found
