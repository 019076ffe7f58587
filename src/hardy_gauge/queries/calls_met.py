"""When statements were met, by server and hour: what is asked of long spans without reading each minute again."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.hourly import hourly
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server

MINE = ["server_id", "statement"]
COLUMNS = ("statement", "calls")


def met_in(reader: Reader, servers: Sequence[Server], span: Span) -> pl.DataFrame:
    """As ``statements_met``, a row a server, statement and hour; empty without columns where nothing was counted."""
    return hourly(reader, servers, "statement", span, COLUMNS, statements_met)


def statements_met(rows: pl.DataFrame) -> pl.DataFrame:
    """Of each server and statement: first and last time it was counted, in how many minutes it was called, the first and last of
    these, and the longest pause between two.
    """
    counted = rows.group_by(MINE).agg(pl.col("at_us").min().alias("first_us"), pl.col("at_us").max().alias("last_us"))
    times = pl.col("at_us").unique().sort()
    calls = (
        rows.filter(pl.col("calls") > 0)
        .group_by(MINE)
        .agg(
            times.len().cast(pl.Int64).alias("minutes"), times.first().alias("called_us"), times.last().alias("called_last_us"),
            times.diff().max().fill_null(0).alias("pause_us"),
        )
    )  # fmt: skip
    return counted.join(calls, on=MINE, how="left")


def called(met: pl.DataFrame) -> pl.DataFrame:
    """Of each server and statement that was called: ``minutes``, the longest pause between two of them, the last of them."""
    parts = met.filter(pl.col("minutes").is_not_null()).sort("called_us")
    between = (pl.col("called_us") - pl.col("called_last_us").shift()).max().fill_null(0)
    return parts.group_by(MINE, maintain_order=True).agg(
        pl.col("minutes").sum(), pl.max_horizontal(pl.col("pause_us").max(), between), pl.col("called_last_us").max()
    )
