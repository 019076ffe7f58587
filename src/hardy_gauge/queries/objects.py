"""Tables, indexes and sequences of a server: what was done with them over a span, and how they are at its end."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import polars as pl

from hardy_gauge.core.narrative.objects import objects_sentence
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, Span
from hardy_gauge.queries.coverage import covered
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server, Snapshot

# every object has a row each hour
BACK_US = HOUR_US + 5 * MINUTE_US
DONE = ("scans", "rows_by_scan", "lookups", "rows_by_lookup", "inserts", "updates", "in_place_updates", "deletes")


@dataclass(frozen=True)
class IndexOut:
    """An index; figures are None where they are not reported. ``lookups_counted`` are those since ``counted_since_us``."""

    name: str
    columns: list[str]
    unique: bool
    constraint: str
    predicate: str | None
    valid: bool
    bytes: int | None
    needed_bytes: int | None
    lookups_per_s: float | None
    lookups_counted: float | None
    counted_since_us: int | None
    place: str
    file: str


@dataclass(frozen=True)
class TableOut:
    """A table; rates are a second, times microseconds, None where they are not reported or nothing is known yet. ``place`` is the volume
    or the engine's space that it lies in, ``file`` its first file there; empty where that is not reported.
    """

    name: str
    rows: float
    dead_rows: float | None
    heap_bytes: int
    index_bytes: int | None
    other_bytes: int | None
    spare_bytes: int | None
    scans_per_s: float | None
    rows_by_scan_per_s: float | None
    lookups_per_s: float | None
    rows_by_lookup_per_s: float | None
    inserts_per_s: float | None
    updates_per_s: float | None
    in_place_updates_per_s: float | None
    deletes_per_s: float | None
    upkeep_us: int | None
    statistics_us: int | None
    changed_since: float | None
    transaction_age: float | None
    options: dict[str, str]
    indexes: list[IndexOut]
    place: str
    file: str


@dataclass(frozen=True)
class SequenceOut:
    """A sequence with the share of its values that it has given."""

    name: str
    column: str
    type: str
    value: int
    most: int
    used: float


@dataclass(frozen=True)
class ServerObjects:
    """``sentence`` is what they say together; empty lists where nothing is reported."""

    server: str
    sentence: str
    tables: list[TableOut]
    sequences: list[SequenceOut]


def objects_of(reader: Reader, owner: Server, span: Span) -> ServerObjects:
    """Over the span; tables by their size, largest first."""
    since = min(span.since_us, span.until_us - BACK_US)
    with reader.store.read() as session:
        found = {
            kind: segments.read(session, [owner.id], kind, since, span.until_us)
            for kind in ("table", "index", "sequence")
        }
        row = session.get(Snapshot, (owner.id, "schema"))
        body: Mapping[str, Any] = row.body if row is not None else {"tables": []}
    tables = found["table"]
    passed = counted_s(reader, owner, tables, span)
    whole = tables.filter(pl.col("column").is_null()) if "column" in tables.columns else tables
    states = _latest_by(whole, ["table"])
    rates = _rates(whole, ["table"], DONE, span, passed)
    index_states = _latest_by(found["index"], ["table", "index"])
    lookups = _rates(found["index"], ["table", "index"], ("lookups",), span, passed)
    out = [
        _table(
            one,
            states.get((one["name"],)),
            rates.get((one["name"],), {}) if passed else None,
            index_states,
            lookups if passed else None,
        )
        for one in body["tables"]
    ]
    out.sort(key=lambda table: (-(table.heap_bytes + (table.index_bytes or 0)), table.name))
    sequences = [_sequence(one) for one in _latest_by(found["sequence"], ["sequence"]).values()]
    sequences.sort(key=lambda one: (-one.used, one.name))
    scanned = {table.name: table.rows_by_scan_per_s for table in out if table.rows_by_scan_per_s is not None}
    sentence = objects_sentence(owner.name, "schema" in owner.abilities, len(out), scanned)
    return ServerObjects(owner.name, sentence, out, sequences)


def counted_s(reader: Reader, owner: Server, tables: pl.DataFrame, span: Span) -> float:
    """Seconds of the span in which tables were counted: as long as the server was from their first row on, and at least as long as
    the intervals of one table. Tables that did nothing have rows only each hour, so their rows do not say how long it was.
    """
    if tables.is_empty():
        return 0.0
    since = max(span.since_us, int(tables["at_us"].min()))  # type: ignore[arg-type]
    if since >= span.until_us:
        return 0.0
    within = tables.filter(pl.col("at_us").is_between(span.since_us, span.until_us - 1))
    if "column" in within.columns:
        within = within.filter(pl.col("column").is_null())
    of_one = within.group_by("table").agg(pl.col("span_s").sum())["span_s"].max() or 0.0
    server_s = covered(reader, [owner], Span(since, span.until_us), "counters")[owner.id]
    return max(server_s, float(of_one))  # type: ignore[arg-type]


def _latest_by(frame: pl.DataFrame, keys: list[str]) -> dict[tuple[str, ...], dict[str, Any]]:
    """The last row of each object that has a size, a value or rows in it."""
    if frame.is_empty():
        return {}
    last = frame.sort("at_us").group_by(keys, maintain_order=True).agg(pl.exclude(*keys).drop_nulls().last())
    return {tuple(row[key] for key in keys): row for row in last.iter_rows(named=True)}


def _rates(
    frame: pl.DataFrame, keys: list[str], names: tuple[str, ...], span: Span, passed: float
) -> dict[tuple[str, ...], dict[str, float]]:
    """What was counted in the span, a second of the time in which the server was counted, of objects that did something."""
    if frame.is_empty() or passed <= 0:
        return {}
    within = frame.filter(pl.col("at_us").is_between(span.since_us, span.until_us - 1))
    known = [name for name in names if name in frame.columns]
    sums = within.group_by(keys).agg(pl.col(n).sum() / passed for n in known)
    return {tuple(row[key] for key in keys): {n: row[n] for n in known} for row in sums.iter_rows(named=True)}


def _rate(name: str, state: Mapping[str, Any], rates: Mapping[str, float] | None) -> float | None:
    """None where it is not reported of the object, or nothing was counted in the span."""
    return None if rates is None or state.get(name) is None else rates.get(name, 0.0)


def _table(
    one: Mapping[str, Any], state: Mapping[str, Any] | None, rates: Mapping[str, float] | None,
    index_states: Mapping[tuple[str, ...], Mapping[str, Any]],
    lookups: Mapping[tuple[str, ...], Mapping[str, float]] | None,
) -> TableOut:  # fmt: skip
    name, now = one["name"], state or {}
    counted = {key: _rate(key, now, rates) for key in DONE}
    heap, needed = now.get("heap_bytes") or one["bytes"], now.get("needed_bytes")
    return TableOut(
        name=name, rows=now["rows"] if now.get("rows") is not None else one["rows"], dead_rows=now.get("dead_rows"), heap_bytes=int(heap),
        index_bytes=now.get("index_bytes"), other_bytes=now.get("other_bytes"),
        spare_bytes=None if needed is None else max(0, int(heap) - int(needed)),
        **{f"{key}_per_s": value for key, value in counted.items()},
        upkeep_us=now.get("upkeep_us"), statistics_us=now.get("statistics_us"), changed_since=now.get("changed_since"),
        transaction_age=now.get("transaction_age"), options=one.get("options") or {},
        indexes=[_index(i, index_states.get((name, i["name"])), lookups.get((name, i["name"]), {}) if lookups is not None else None) for i in one["indexes"]],
        place=one.get("place") or "", file=one.get("file") or "",
    )  # fmt: skip


def _index(one: Mapping[str, Any], state: Mapping[str, Any] | None, rates: Mapping[str, float] | None) -> IndexOut:
    now = state or {}
    return IndexOut(
        name=one["name"], columns=list(one["columns"]), unique=one["unique"], constraint=one.get("constraint") or "",
        predicate=one.get("predicate"), valid=bool(one.get("valid", True) if now.get("valid") is None else now["valid"]),
        bytes=now.get("bytes") or one["bytes"], needed_bytes=now.get("needed_bytes"),
        lookups_per_s=_rate("lookups", now, rates), lookups_counted=now.get("lookups_counted"),
        counted_since_us=now.get("counted_since_us"), place=one.get("place") or "", file=one.get("file") or "",
    )  # fmt: skip


def _sequence(row: Mapping[str, Any]) -> SequenceOut:
    room = row["most"] - row["least"]
    used = (row["value"] - row["least"]) / room if room > 0 else 1.0
    return SequenceOut(row["sequence"], row["column"] or "", row["type"] or "", row["value"], row["most"], used)
