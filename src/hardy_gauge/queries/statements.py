"""Statement intervals of a scope, and what is typical of each statement in the reference."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import polars as pl
from sqlalchemy import func, select

from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.statements.sums import by_family, total
from hardy_gauge.core.time.span import Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.probes.wait_map import wait_map
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.reference import ReferenceSpans, reference_spans
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server, Statement

UNKNOWN = -1
COMPARED = ("calls", "time_s", "rows_examined", "rows_returned")
CALLS = ("statement", "calls", "time_s", "plan_key")


def read_intervals(reader: Reader, servers: Sequence[Server], span: Span) -> pl.DataFrame:
    """Statement intervals that are filed in the span: every statement figure, null where a server does not report one,
    and seconds by wait family in columns ``family.<name>``. Empty without columns where nothing was counted.
    """
    frames = []
    for engine in sorted({s.engine for s in servers}):
        mine = [s.id for s in servers if s.engine == engine]
        with reader.store.read() as session:
            frame = segments.read(session, mine, "statement", span.since_us, span.until_us)
        if not frame.is_empty():
            frames.append(by_family(frame, wait_map(engine)))
    return pl.concat(frames, how="diagonal_relaxed") if frames else pl.DataFrame()


def _read_compared(reader: Reader, servers: Sequence[Server], span: Span) -> pl.DataFrame:
    """Of the intervals only what statements are compared by; null where a server does not report it."""
    with reader.store.read() as session:
        ids = [server.id for server in servers]
        frame = segments.read(session, ids, "statement", span.since_us, span.until_us, ("statement", *COMPARED))
    missing = [name for name in COMPARED if name not in frame.columns]
    return frame if frame.is_empty() else frame.with_columns(pl.lit(None, dtype=pl.Float64).alias(c) for c in missing)


def read_calls(reader: Reader, servers: Sequence[Server], span: Span) -> pl.DataFrame:
    """Of the intervals only when and how often which statement was called, in what time and with which plan."""
    with reader.store.read() as session:
        ids = [server.id for server in servers]
        return segments.read(session, ids, "statement", span.since_us, span.until_us, CALLS)


def sampled_services(samples: pl.DataFrame) -> dict[int, list[str]]:
    """By statement: the services whose sessions ran it, where the statement counters do not report them."""
    if samples.is_empty() or "service" not in samples.columns:
        return {}
    rows = samples.select("statement", "service").drop_nulls().unique().sort("service")
    found: dict[int, list[str]] = {}
    for statement, service in rows.iter_rows():
        if service:
            found.setdefault(statement, []).append(service)
    return found


@dataclass(frozen=True)
class TypicalWork:
    """A statement in the reference; None where it was not called or the figure is not reported."""

    calls_per_s: Typical | None
    time_per_s: Typical | None
    time_per_call_s: Typical | None
    examined_per_row: Typical | None
    rows_per_call: Typical | None


@dataclass(frozen=True)
class TypicalStatements:
    """What the focus is compared with, and each statement's figures in it, by id. One that is not in it was not called."""

    spans: ReferenceSpans
    by_statement: Mapping[int, TypicalWork]


def typical_statements(reader: Reader, servers: Sequence[Server], window: Window) -> TypicalStatements:
    """Figures of every statement in the reference, robust against single days."""
    if not window.following or window.reference.kind != "typical day":
        return _typical_statements(reader, servers, window)
    window, ids = window.by_minute(), tuple(server.id for server in servers)
    return reader.kept_as(
        ("typical statements", ids), window.focus, lambda: _typical_statements(reader, servers, window)
    )


def _typical_statements(reader: Reader, servers: Sequence[Server], window: Window) -> TypicalStatements:
    spans = reference_spans(reader, servers, window, "statements")
    frames = [
        frame.with_columns(pl.lit(number).alias("span"))
        for number, span in enumerate(spans.spans)
        if not (frame := _read_compared(reader, spans.servers, span)).is_empty()
    ]
    if not frames:
        return TypicalStatements(spans, {})
    keys = ["statement", "server_id", "span"]
    rows = pl.concat(frames, how="diagonal_relaxed")
    totals = rows.group_by(keys).agg(total(name) for name in COMPARED)
    totals = totals.with_columns(pl.max_horizontal("rows_returned", "calls").alias("rows_least"))
    # what is not reported of a call does not count below the line either
    totals = totals.with_columns(
        pl.when(pl.col("rows_examined").is_not_null()).then(pl.col("rows_least")).alias("rows_least")
    )
    grids = {
        name: spans.grids(totals.select(*keys, name).drop_nulls().iter_rows())
        for name in ("calls", "time_s", "rows_examined", "rows_least", "rows_returned")
    }
    found = {
        int(statement): TypicalWork(
            spans.rate(grids["calls"].get(statement)), spans.rate(grids["time_s"].get(statement)),
            spans.ratio(grids["time_s"].get(statement), grids["calls"].get(statement)),
            spans.ratio(grids["rows_examined"].get(statement), grids["rows_least"].get(statement)),
            spans.ratio(grids["rows_returned"].get(statement), grids["calls"].get(statement)),
        )
        for statement in totals["statement"].unique().to_list()
    }  # fmt: skip
    return TypicalStatements(spans, found)


def texts_of(reader: Reader, ids: Sequence[int] | None = None) -> dict[int, Statement]:
    """Statements by id; all where no ids are given."""
    with reader.store.read() as session:
        edges = (func.count(), func.max(Statement.id), func.max(Statement.first_seen_us))
        version = tuple(session.execute(select(*edges).select_from(Statement)).one())
        found = reader.kept_as(("texts",), version, lambda: {row.id: row for row in session.scalars(select(Statement))})
    return found if ids is None else {number: found[number] for number in ids if number in found}
