"""What a ledger is compared with: sums of the reference by entry, server and span, and its outline over time.

Of a window that moves on both are kept for the minute that they are of, as the reference is.
"""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from hardy_gauge.core.activity.ledger import time_spent
from hardy_gauge.queries.ledger_names import Names
from hardy_gauge.queries.ledger_question import LedgerQuestion
from hardy_gauge.queries.ledger_rows import LedgerRows
from hardy_gauge.queries.ledger_stack import outline_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.reference import ReferenceSpans

Outline = list[float | None] | None


def ledger_reference(
    reader: Reader, source: LedgerRows, spans: ReferenceSpans, names: Names, asked: LedgerQuestion
) -> tuple[pl.DataFrame, Outline]:
    """Sums with the ``weight`` of each server and ``span``, by the dimensions shown, and the outline at what is asked for."""
    if not spans.window.following or spans.window.reference.kind != "typical day":
        return _made(source, spans, names, asked)
    ids, version = tuple(server.id for server in spans.servers), spans.window.focus
    keys = [(name, ids, asked.key, spans.window.focus.seconds) for name in ("ledger reference", "ledger outline")]
    summed, outline = (reader.hours.get(key, version) for key in keys)
    if summed is None or outline is None:
        summed, steps = _made(source, spans, names, asked)
        outline = pl.DataFrame({"typical": steps or []}, schema={"typical": pl.Float64})
        for key, frame in zip(keys, (summed, outline), strict=True):
            reader.hours.put(key, frame, int(frame.estimated_size()) + 100, version)
    return summed, outline["typical"].to_list() or None


def _made(
    source: LedgerRows, spans: ReferenceSpans, names: Names, asked: LedgerQuestion
) -> tuple[pl.DataFrame, Outline]:
    earlier = _earlier(source, spans, names, asked)
    return _by_span(earlier, asked.shown), outline_of(spans, at_step(earlier, asked), source.shortest_step_us)


def at_step(rows: pl.DataFrame, asked: LedgerQuestion) -> pl.DataFrame:
    """The rows at one entry of the third dimension, where one is stepped to; all otherwise."""
    if asked.through is None or not asked.at or rows.is_empty():
        return rows
    return rows.filter(pl.col(asked.through) == asked.at)


def _earlier(source: LedgerRows, spans: ReferenceSpans, names: Names, asked: LedgerQuestion) -> pl.DataFrame:
    """Rows of all reference spans with the number of their ``span``."""
    frames = []
    for number, span in enumerate(spans.spans):
        frame = names.left(source.read(spans.servers, span, asked.all), asked.filters, asked.without)
        if "weight" not in frame.columns:
            frame = frame.with_columns(pl.lit(1.0).alias("weight"))
        keyed = names.keyed(frame, asked.shown)
        kept = list(dict.fromkeys(["at_us", "server_id", *asked.shown, "weight"]))
        frames.append(keyed.select(kept).with_columns(pl.lit(number).alias("span")))
    return pl.concat(frames, how="vertical_relaxed") if frames else pl.DataFrame()


def _by_span(before: pl.DataFrame, dimensions: Sequence[str]) -> pl.DataFrame:
    """Rows of the reference summed up by server and span: what entries and cells are taken from."""
    if before.is_empty():
        return before
    return before.group_by([*dimensions, "server_id", "span"]).agg(time_spent(before).alias("weight"))
