"""What was done between two stored snapshots of one server."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import undefer

from hardy_gauge.core.activity.counters import Reading
from hardy_gauge.core.activity.snapshot_difference import Done, NotComparable
from hardy_gauge.core.activity.snapshot_difference import snapshot_difference as difference
from hardy_gauge.core.figures.catalogue import STATEMENT_FIGURES, title_of, unit_of
from hardy_gauge.core.narrative.snapshots import difference_sentence
from hardy_gauge.core.statements.ratios import per_call
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.blocks import decode_block
from hardy_gauge.store.models import CounterSnapshot, Server
from hardy_gauge.store.servers import find_server

MOST_LISTED = 500


@dataclass(frozen=True)
class SnapshotOut:
    """A snapshot in the list."""

    id: int
    server: str
    taken_us: int
    started_us: int
    why: str
    note: str


@dataclass(frozen=True)
class FigureDone:
    """``unit`` is that of ``done``; ``per_s`` is the same by second."""

    name: str
    title: str
    unit: str
    done: float
    per_s: float


@dataclass(frozen=True)
class StatementDone:
    """What a statement did between two snapshots."""

    fingerprint: str
    text: str
    user: str
    service: str
    calls: float
    time_s: float
    share: float
    time_per_call_s: float
    rows_returned: float | None
    pages_read: float | None


@dataclass(frozen=True)
class LevelMoved:
    """A level at both snapshots, in its unit."""

    name: str
    title: str
    unit: str
    first: float | None
    second: float | None


@dataclass(frozen=True)
class SettingMoved:
    """A setting that differs between two snapshots."""

    name: str
    first: str | None
    second: str | None


@dataclass(frozen=True)
class Difference:
    """All that was done between two snapshots of a server."""

    sentence: str
    server: str
    first: SnapshotOut
    second: SnapshotOut
    from_us: int
    span_s: float
    notes: list[str]
    figures: list[FigureDone]
    statements: list[StatementDone]
    levels: list[LevelMoved]
    settings: list[SettingMoved]


def snapshot_out(row: CounterSnapshot, server: str) -> SnapshotOut:
    """A stored snapshot as it is listed."""
    return SnapshotOut(row.id, server, row.taken_us, row.started_us, row.why, row.note)


def snapshots_of(reader: Reader, server: str = "") -> list[SnapshotOut]:
    """The latest first, of one server or of all."""
    with reader.store.read() as session:
        query = select(CounterSnapshot, Server.name).join(Server, Server.id == CounterSnapshot.server_id)
        if server:
            query = query.where(CounterSnapshot.server_id == find_server(session, server).id)
        rows = session.execute(query.order_by(CounterSnapshot.id.desc()).limit(MOST_LISTED)).all()
        return [snapshot_out(row, name) for row, name in rows]


def snapshot_difference(reader: Reader, first: int, second: int) -> Difference:
    """Rates, statements by time, levels and settings that moved; NotComparable when that cannot be said."""
    a, b, name = _both(reader, first, second)
    if a.taken_us > b.taken_us:
        a, b = b, a
    done = compare(a, b)
    texts = {row["key"]: row for row in statements_of(b).iter_rows(named=True)}
    total = sum(row.get("time_s", 0.0) for row in done.statements.values())
    rows = [_statement(texts[key], values, total) for key, values in done.statements.items()]
    rows.sort(key=lambda row: -row.time_s)
    levels = [
        LevelMoved(n, title_of(n), unit_of(n), a.levels.get(n), b.levels.get(n))
        for n in sorted({*a.levels, *b.levels})
        if a.levels.get(n) != b.levels.get(n)
    ]
    moved = [
        SettingMoved(n, None if x is None else str(x), None if y is None else str(y))
        for n, x, y in changed_settings(a, b)
    ]
    top = (rows[0].share, rows[0].text) if rows and rows[0].time_s else None
    return Difference(
        difference_sentence(name, done.span_s, top, len(moved)), name, snapshot_out(a, name), snapshot_out(b, name),
        done.from_us, done.span_s, done.notes,
        [FigureDone(n, title_of(n), unit_of(n), v, v / done.span_s) for n, v in done.values.items()], rows, levels, moved,
    )  # fmt: skip


def _both(reader: Reader, first: int, second: int) -> tuple[CounterSnapshot, CounterSnapshot, str]:
    with reader.store.read() as session:
        rows = []
        for field, number in (("first", first), ("second", second)):
            row = session.get(CounterSnapshot, number, options=[undefer(CounterSnapshot.statements)])
            if row is None:
                raise NotFound(f"{field}: there is no snapshot {number}", field, "Unknown snapshot")
            rows.append(row)
        if rows[0].server_id != rows[1].server_id:
            raise NotComparable("second: it is of another server", "second")
        return rows[0], rows[1], session.get_one(Server, rows[0].server_id).name


def _statement(row: dict[str, Any], done: dict[str, float], total: float) -> StatementDone:
    time_s, calls = done.get("time_s", 0.0), done.get("calls", 0.0)
    return StatementDone(
        row["fingerprint"], row["text"], row["user"], row["service"], calls, time_s, time_s / total if total else 0.0,
        per_call(calls, time_s) or 0.0, done.get("rows_returned"), done.get("pages_read"),
    )  # fmt: skip


def statements_of(row: CounterSnapshot) -> pl.DataFrame:
    """A row a statement as it was counted: key, fingerprint, text, who, figures."""
    return decode_block(row.statements)


def compare(first: CounterSnapshot, second: CounterSnapshot) -> Done:
    """What was done between two snapshots of one server; NotComparable when they cannot be compared."""
    readings = [Reading(row.taken_us, row.started_us, row.values) for row in (first, second)]
    rows = [
        {
            r["key"]: {f: r[f] for f in STATEMENT_FIGURES if r.get(f) is not None}
            for r in statements_of(row).iter_rows(named=True)
        }
        for row in (first, second)
    ]
    return difference(readings[0], readings[1], rows[0], rows[1])


def changed_settings(first: CounterSnapshot, second: CounterSnapshot) -> list[tuple[str, Any, Any]]:
    """Name, value at the first, value at the second; None where there was none."""
    names = sorted({*first.settings, *second.settings})
    pairs = [(name, first.settings.get(name), second.settings.get(name)) for name in names]
    return [row for row in pairs if row[1] != row[2]]
