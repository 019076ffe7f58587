"""Statement intervals of a server or scope, summed over a window and its reference."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import polars as pl

from hardy_gauge.api.data import Data
from hardy_gauge.api.samples import read_samples
from hardy_gauge.api.window import Span, Window
from hardy_gauge.core.activity.ledger import time_spent
from hardy_gauge.probes.wait_map import wait_map
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server

FAMILY = "family."
WHOLE = 0.9
SUMS = ("calls", "time_s", "rows_returned", "rows_examined", "pages_requested", "pages_read", "log_bytes")


def read_intervals(data: Data, servers: Sequence[Server], span: Span) -> pl.DataFrame:
    """Statement intervals that begin in the span: ``SUMS``, null where a server does not report one, and seconds by
    wait family in columns ``family.<name>``.
    """
    frames = []
    for engine in sorted({s.engine for s in servers}):
        with data.store.read() as session:
            mine = [s.id for s in servers if s.engine == engine]
            frame = segments.read(session, mine, "statement", span.since_us, span.until_us)
        if not frame.is_empty():
            frames.append(_by_family(frame, engine))
    if not frames:
        return pl.DataFrame()
    return pl.concat(frames, how="diagonal_relaxed")


def _by_family(frame: pl.DataFrame, engine: str) -> pl.DataFrame:
    table = wait_map(engine)
    events = [c for c in frame.columns if c.startswith("wait.")]
    by_family: dict[str, list[str]] = {}
    for event in events:
        by_family.setdefault(table.family(event.removeprefix("wait.")), []).append(event)
    missing = [c for c in (*SUMS, "plan_key", "user", "service", "database") if c not in frame.columns]
    kinds = {c: pl.Float64 if c in SUMS else pl.String for c in missing}
    return frame.with_columns(
        *[pl.sum_horizontal(names).alias(f"{FAMILY}{family}") for family, names in by_family.items()],
        *[pl.lit(None, dtype=kind).alias(c) for c, kind in kinds.items()],
    ).drop(events)


def total(name: str) -> pl.Expr:
    """The sum of a figure, null where none of the rows has it."""
    return pl.when(pl.col(name).count() > 0).then(pl.col(name).sum()).alias(name)


def sums(frame: pl.DataFrame, by: Sequence[str]) -> pl.DataFrame:
    """Totals of every figure by the given columns."""
    if frame.is_empty():
        return frame
    waits = [c for c in frame.columns if c.startswith(FAMILY)]
    return frame.group_by(list(by)).agg(*[total(c) for c in (*SUMS, *waits)], pl.col("at_us").max().alias("last_us"))


def families(row: Mapping[str, Any], sampled: Mapping[str, float] | None = None) -> dict[str, float]:
    """Seconds by wait family from a row with ``family.<name>`` columns.

    Where the engine counts only a part of the time by what it was spent on, the whole is split as the session samples
    of the statement are: ``sampled``, shares by family.
    """
    told = {name.removeprefix(FAMILY): float(v) for name, v in row.items() if name.startswith(FAMILY) and v}
    if sampled and sum(told.values()) < WHOLE * row["time_s"]:
        return {family: share * float(row["time_s"]) for family, share in sampled.items()}
    return told


def partly_told(totals: pl.DataFrame) -> bool:
    """Whether any statement's time by family leaves out a good part of it."""
    told = [c for c in totals.columns if c.startswith(FAMILY)]
    spent = pl.sum_horizontal(told) if told else pl.lit(0.0)
    return not totals.filter(spent < WHOLE * pl.col("time_s")).is_empty()


def sampled_families(data: Data, servers: Sequence[Server], span: Span) -> dict[int, dict[str, float]]:
    """By statement: the share of each wait family in its session samples."""
    samples = read_samples(data, servers, span, ["statement", "wait_family"])
    found: dict[int, dict[str, float]] = {}
    if samples.is_empty():
        return found
    by = samples.group_by("statement", "wait_family").agg(time_spent(samples).alias("n"))
    shares = by.with_columns(pl.col("n") / pl.col("n").sum().over("statement"))
    for statement, family, share in shares.iter_rows():
        found.setdefault(statement, {})[family] = share
    return found


def reference_sums(
    data: Data, servers: Sequence[Server], window: Window, by: Sequence[str]
) -> tuple[pl.DataFrame, float]:
    """Totals over all reference spans in which anything was recorded, and their length in seconds."""
    frames, seconds = [], 0.0
    for span in window.reference_spans:
        frame = read_intervals(data, servers, span)
        if not frame.is_empty():
            frames.append(frame)
            seconds += span.seconds
    if not frames:
        return pl.DataFrame(), 0.0
    return sums(pl.concat(frames, how="diagonal"), by), seconds


def per_call(row: Mapping[str, Any] | None, name: str) -> float | None:
    """A figure per call; None when nothing was called or the figure is not reported."""
    value = row.get(name) if row else None
    return None if row is None or value is None or not row.get("calls") else float(value) / float(row["calls"])


def examined_per_row(row: Mapping[str, Any] | None) -> float | None:
    """Rows examined per row returned; a call that returns nothing counts as one row. None where not reported."""
    if row is None or not row.get("calls") or row.get("rows_examined") is None:
        return None
    return float(row["rows_examined"]) / max(float(row["rows_returned"]), float(row["calls"]), 1e-9)
