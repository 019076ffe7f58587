"""What tables, indexes and sequences did between two looks, and how they were: rows only of those that changed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

import polars as pl

from hardy_gauge.capture.intervals import minute_of
from hardy_gauge.core.activity.counters import Difference, Reading, difference
from hardy_gauge.probes import protocol as p

HOUR_US = 3_600_000_000
TABLE_COUNTERS = (
    "scans", "rows_by_scan", "lookups", "rows_by_lookup", "inserts", "updates", "in_place_updates", "deletes",
)  # fmt: skip
TABLE_LEVELS = (
    "rows", "dead_rows", "heap_bytes", "index_bytes", "other_bytes", "needed_bytes", "upkeep_us", "statistics_us",
    "changed_since", "transaction_age",
)  # fmt: skip
INDEX_COUNTERS = ("lookups", "rows")
INDEX_LEVELS = ("bytes", "needed_bytes", "valid", "lookups_counted", "counted_since_us")
MOST_SEQUENCES = 20
# what differs at each look alone makes no row
RESTLESS = {"transaction_age", "lookups_counted", "counted_since_us"}
Row = dict[str, Any]
What = Literal["upkeep", "statistics"]
ObjectKind = Literal["table", "index", "sequence"]
WHEN: dict[str, Any] = {"at_us": pl.Int64, "span_s": pl.Float64}
INTEGERS = (
    "heap_bytes",
    "index_bytes",
    "other_bytes",
    "needed_bytes",
    "bytes",
    "upkeep_us",
    "statistics_us",
    "counted_since_us",
)
SCHEMAS: dict[ObjectKind, dict[str, Any]] = {
    "table": WHEN | {"table": pl.String, "column": pl.String}
    | {name: pl.Int64 if name in INTEGERS else pl.Float64 for name in TABLE_COUNTERS + TABLE_LEVELS},
    "index": WHEN | {"table": pl.String, "index": pl.String, "valid": pl.Boolean}
    | {name: pl.Int64 if name in INTEGERS else pl.Float64 for name in INDEX_COUNTERS + INDEX_LEVELS if name != "valid"},
    "sequence": WHEN | {"sequence": pl.String, "type": pl.String, "column": pl.String}
    | dict.fromkeys(("value", "least", "most", "increment"), pl.Int64),
}  # fmt: skip


@dataclass(frozen=True)
class TableEvent:
    """Upkeep of a table, or the gathering of its statistics, by the server's clock."""

    at_us: int
    what: What
    table: str


@dataclass
class ObjectIntervals:
    """The last look at a server's objects. A row is made of what did something or changed, and of everything each hour."""

    tables: list[Row] = field(default_factory=list)
    indexes: list[Row] = field(default_factory=list)
    sequences: list[Row] = field(default_factory=list)
    events: list[TableEvent] = field(default_factory=list)
    _readings: dict[tuple[str, ...], Reading] = field(default_factory=dict)
    _written: dict[tuple[str, ...], tuple[int, Row]] = field(default_factory=dict)
    _seen: dict[tuple[str, str], int] = field(default_factory=dict)

    def forget(self) -> None:
        """After a gap: the next look is the first."""
        self._readings, self._written = {}, {}

    def taken(self) -> tuple[list[Row], list[Row], list[Row], list[TableEvent]]:
        """The rows so far, which are then the caller's."""
        found = self.tables, self.indexes, self.sequences, self.events
        self.tables, self.indexes, self.sequences, self.events = [], [], [], []
        return found

    def look(self, answer: p.Objects, now_us: int) -> None:
        """Take a look; an object whose counters went back is counted from it on."""
        before, self._readings = self._readings, {}
        for table in answer.tables:
            counted = {name: getattr(table, name) for name in TABLE_COUNTERS}
            levels = {name: getattr(table, name) for name in TABLE_LEVELS}
            key: tuple[str, ...] = ("table", table.name)
            done = self._difference(answer, key, counted | _by_column(table.column_updates), before)
            whole = {name: value for name, value in done[1].items() if not name.startswith("column.")}
            named = {"table": table.name, "column": None}
            self._row(self.tables, key, named, (done[0], whole), levels, now_us)
            self.tables += [
                {"at_us": minute_of(now_us, done[0]), "span_s": done[0], "table": table.name,
                 "column": name.removeprefix("column."), "updates": value}
                for name, value in done[1].items()
                if name.startswith("column.") and value
            ]  # fmt: skip
            self._event(table.name, "upkeep", table.upkeep_us)
            self._event(table.name, "statistics", table.statistics_us)
        for index in answer.indexes:
            counted = {name: getattr(index, name) for name in INDEX_COUNTERS}
            levels = {name: getattr(index, name) for name in ("bytes", "needed_bytes", "valid")}
            levels |= {
                "lookups_counted": index.lookups,
                "counted_since_us": answer.counted_since_us or answer.started_at_us,
            }
            key = ("index", index.table, index.name)
            done = self._difference(answer, key, counted, before)
            self._row(self.indexes, key, {"table": index.table, "index": index.name}, done, levels, now_us)
        for sequence in answer.sequences:
            named = {"sequence": sequence.name}
            levels = sequence.model_dump(exclude={"name"})
            self._row(self.sequences, ("sequence", sequence.name), named, (0.0, {}), levels, now_us)

    def _difference(
        self,
        answer: p.Objects,
        key: tuple[str, ...],
        counted: Mapping[str, float | None],
        before: dict[tuple[str, ...], Reading],
    ) -> tuple[float, dict[str, float]]:
        """Seconds, and what was counted in them; at the first look zero of what is reported, in no time."""
        values = {name: value for name, value in counted.items() if value is not None}
        reading = self._readings[key] = Reading(answer.at_us, answer.started_at_us, values)
        done = difference(before[key], reading) if key in before else None
        return (done.span_s, done.values) if isinstance(done, Difference) else (0.0, dict.fromkeys(values, 0.0))

    def _row(
        self,
        rows: list[Row],
        key: tuple[str, ...],
        named: Row,
        done: tuple[float, dict[str, float]],
        levels: Row,
        now_us: int,
    ) -> None:
        at, known = self._written.get(key, (0, {}))
        same = all(known.get(name) == value for name, value in levels.items() if name not in RESTLESS)
        if same and known and now_us - at < HOUR_US and not any(done[1].values()):
            return
        self._written[key] = now_us, levels
        row = {"at_us": minute_of(now_us, done[0]), "span_s": done[0] or None, **named, **done[1], **levels}
        rows.append(row)

    def _event(self, table: str, what: What, at_us: int | None) -> None:
        last = self._seen.get((table, what))
        self._seen[table, what] = at_us or 0
        if at_us is not None and last is not None and at_us > last:
            self.events.append(TableEvent(at_us, what, table))


def object_frame(kind: ObjectKind, rows: Sequence[Row]) -> pl.DataFrame:
    """Rows in the form that is stored."""
    return pl.DataFrame(rows, schema=SCHEMAS[kind], orient="row")


def sequences_used(sequences: Sequence[p.Sequence]) -> dict[str, float]:
    """The share of their values that the fullest sequences have given, as levels."""
    used = {
        f"sequence_used.{one.name}": (one.value - one.least) / (one.most - one.least)
        for one in sequences
        if one.most > one.least
    }
    return dict(sorted(used.items(), key=lambda item: -item[1])[:MOST_SEQUENCES])


def objects_of_schema(schema: p.Schema) -> p.Objects:
    """What a probe without the ability ``objects`` counts, which is in its schema."""
    return p.Objects(
        at_us=schema.at_us, started_at_us=0,
        tables=[
            p.TableCounters(
                name=table.name, rows=table.rows, heap_bytes=table.bytes, inserts=table.inserts, updates=table.updates,
                deletes=table.deletes, column_updates=table.column_updates,
            )
            for table in schema.tables
        ],
        indexes=[
            p.IndexCounters(name=index.name, table=table.name, bytes=index.bytes, lookups=index.lookups, valid=index.valid)
            for table in schema.tables
            for index in table.indexes
        ],
    )  # fmt: skip


def _by_column(updates: Mapping[str, float]) -> dict[str, float]:
    return {f"column.{name}": value for name, value in updates.items()}
