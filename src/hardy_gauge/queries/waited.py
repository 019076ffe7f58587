"""How long sessions waited for other sessions, by server: what is kept of each hour, so that nobody reads a fleet's samples for it."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.hourly import hourly
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server

COLUMNS = ("blockers", "weight")


def waited_by_server(reader: Reader, servers: Sequence[Server], span: Span) -> dict[int, float]:
    """Seconds, by server id, of those where somebody waited."""
    if not servers:
        return {}
    frame = hourly(reader, servers, "sample", span, COLUMNS, waited_sums)
    if frame.is_empty():
        return {}
    return dict(frame.group_by("server_id").agg(pl.col("waited_s").sum()).iter_rows())


def waited_sums(samples: pl.DataFrame) -> pl.DataFrame:
    """``server_id`` and ``waited_s``, of those where somebody waited."""
    if "blockers" not in samples.columns:
        return pl.DataFrame(schema={"server_id": pl.Int32, "waited_s": pl.Float64})
    weight = pl.col("weight").fill_null(1.0) if "weight" in samples.columns else pl.lit(1.0)
    waiting = samples.filter(pl.col("blockers").list.len() > 0).select("server_id", weight.alias("waited_s"))
    return waiting.group_by("server_id").agg(pl.col("waited_s").sum())
