"""Statement intervals of a server or scope, summed over a window and its reference."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from hardy_gauge.api.data import Data
from hardy_gauge.api.window import Span, Window
from hardy_gauge.probes.wait_map import wait_map
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server

SUMS = ("calls", "time_s", "rows_returned", "rows_examined", "pages_requested", "pages_read", "log_bytes")


def read_intervals(data: Data, servers: Sequence[Server], span: Span) -> pl.DataFrame:
    """Statement intervals that begin in the span, with all their columns."""
    with data.store.read() as session:
        return segments.read(session, [s.id for s in servers], "statement", span.since_us, span.until_us)


def sums(frame: pl.DataFrame, by: Sequence[str]) -> pl.DataFrame:
    """Totals of every figure by the given columns."""
    if frame.is_empty():
        return frame
    waits = [c for c in frame.columns if c.startswith("wait.")]
    return frame.group_by(list(by)).agg(
        *[pl.col(c).sum() for c in (*SUMS, *waits) if c in frame.columns], pl.col("at_us").max().alias("last_us")
    )


def families(row: dict[str, float | None], engine: str) -> dict[str, float]:
    """Seconds by wait family from a row with ``wait.<event>`` columns."""
    table = wait_map(engine)
    found: dict[str, float] = {}
    for name, value in row.items():
        if name.startswith("wait.") and value:
            family = table.family(name.removeprefix("wait."))
            found[family] = found.get(family, 0.0) + float(value)
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


def per_call(row: dict[str, float] | None, name: str) -> float | None:
    """A figure per call; None when nothing was called."""
    return None if row is None or not row.get("calls") else float(row[name]) / float(row["calls"])


def examined_per_row(row: dict[str, float] | None) -> float | None:
    """Rows examined per row returned; a call that returns nothing counts as one row."""
    if row is None or not row.get("calls"):
        return None
    return float(row["rows_examined"]) / max(float(row["rows_returned"]), float(row["calls"]), 1e-9)
