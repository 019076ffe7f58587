"""What is counted of tables, indexes and sequences, asked each minute; what they are made of is in ``state.Schema``."""

from __future__ import annotations

from pydantic import Field

from hardy_gauge.probes.protocol.base import MOST_NAMES, MOST_OBJECTS, MOST_ROWS, Message


class TableCounters(Message):
    """One table. Rows and sizes are as of now; reads and writes are counted since the server started. None is "not reported".

    ``needed_bytes`` is what its rows would take without dead rows and free space, by ``needed_method``.
    """

    name: str
    rows: float
    dead_rows: float | None = None
    heap_bytes: int
    index_bytes: int | None = None
    other_bytes: int | None = Field(None, description="of long values stored apart, and maps")
    needed_bytes: int | None = None
    scans: float | None = Field(None, description="reads of the whole table")
    rows_by_scan: float | None = None
    lookups: float | None = Field(None, description="reads by one of its indexes")
    rows_by_lookup: float | None = None
    inserts: float | None = None
    updates: float | None = None
    in_place_updates: float | None = Field(None, description="updates that wrote no index")
    deletes: float | None = None
    column_updates: dict[str, float] = Field(max_length=MOST_NAMES, default_factory=dict)
    upkeep_us: int | None = Field(None, description="when dead rows were last removed")
    statistics_us: int | None = Field(None, description="when the planner's statistics were last gathered")
    changed_since: float | None = Field(None, description="rows changed since the statistics were gathered")
    transaction_age: float | None = Field(None, description="transactions since its oldest row that is not frozen")


class IndexCounters(Message):
    """One index; ``lookups`` and ``rows`` are counted since the server started."""

    name: str
    table: str
    bytes: int
    lookups: float | None = None
    rows: float | None = Field(None, description="entries that lookups returned")
    needed_bytes: int | None = None
    valid: bool = True


class Sequence(Message):
    """One sequence, with the last value that it may reach by its own type or that of the column it fills."""

    name: str
    value: int
    least: int
    most: int
    increment: int = 1
    type: str = Field("", description="of the column that it fills, or its own")
    column: str = Field("", description="table.column that it fills, where known")


class Objects(Message):
    """All at one moment. ``counted_since_us`` is since when reads and writes are counted, where that is not the start of the
    server. ``schema_marker`` changes when the schema or the statistics of its columns did; empty: not known."""

    at_us: int
    started_at_us: int
    counted_since_us: int | None = None
    schema_marker: str = Field("", max_length=200)
    tables: list[TableCounters] = Field(max_length=MOST_OBJECTS)
    indexes: list[IndexCounters] = Field(max_length=MOST_ROWS)
    sequences: list[Sequence] = Field(max_length=MOST_OBJECTS, default_factory=list)
