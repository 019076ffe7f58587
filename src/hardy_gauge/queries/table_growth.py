"""Which tables of a server grow, and how much of what they take they need, by what was counted of their sizes."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from hardy_gauge.core.host.sheet import GrowingTable, TableSpace
from hardy_gauge.core.narrative.host import space_words
from hardy_gauge.core.time.span import DAY_US, HOUR_US
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server

BACK_US, LEAST_US = 7 * DAY_US, DAY_US // 8
MOST = 6
SIZES = ("heap_bytes", "index_bytes", "other_bytes")


def growing_tables(reader: Reader, server: Server, until_us: int) -> list[GrowingTable] | None:
    """The six that grow most, over the last week or as far as they were counted, at least three hours; None where their sizes are not
    counted.
    """
    rows = _sized(reader, server, until_us)
    if rows is None:
        return None
    ends = rows.group_by("table").agg(
        pl.col("at_us").first().alias("from"), pl.col("at_us").last().alias("to"), pl.col("size").first().alias("was"), pl.col("size").last().alias("is"),
    )  # fmt: skip
    grown = {
        row["table"]: (row["is"], (row["is"] - row["was"]) / (row["to"] - row["from"]) * DAY_US)
        for row in ends.iter_rows(named=True)
        if row["to"] - row["from"] >= LEAST_US and row["is"] > row["was"]
    }
    total = sum(rate for _, rate in grown.values())
    found = [GrowingTable(table, size, rate, rate / total) for table, (size, rate) in grown.items()]
    return sorted(found, key=lambda one: (-one.bytes_per_day, one.table))[:MOST]


def table_space(reader: Reader, server: Server, until_us: int) -> TableSpace | None:
    """As it was counted last of each table within the last week; None where either is not counted."""
    rows = _sized(reader, server, until_us)
    if rows is None or "needed_bytes" not in rows.columns:
        return None
    last = rows.filter(pl.col("needed_bytes").is_not_null()).group_by("table").last()
    if last.is_empty():
        return None
    over = last.with_columns((pl.col("heap_bytes") - pl.col("needed_bytes")).clip(0).alias("over")).sort(
        "over", "table"
    )
    allocated = float(last["heap_bytes"].sum())
    needed = float(last.select(pl.min_horizontal("heap_bytes", "needed_bytes").sum()).item())
    most, most_bytes = over["table"][-1], float(over["over"][-1])
    return TableSpace(space_words(allocated, needed, most, most_bytes), allocated, needed, most, most_bytes)


def _sized(reader: Reader, server: Server, until_us: int) -> pl.DataFrame | None:
    """The counted sizes of the tables themselves, oldest first, with ``size`` in all."""
    with reader.store.read() as session:
        frame = segments.read(session, [server.id], "table", until_us - BACK_US, until_us)
    if frame.is_empty() or "heap_bytes" not in frame.columns:
        return None
    whole = frame.filter(pl.col("column").is_null()) if "column" in frame.columns else frame
    size = pl.sum_horizontal(*(pl.col(c).fill_null(0.0) for c in SIZES if c in frame.columns))
    sized = whole.filter(pl.col("heap_bytes").is_not_null()).with_columns(size.cast(pl.Float64).alias("size"))
    return sized.sort("at_us")


def size_over_time(reader: Reader, server: Server, table: str, until_us: int) -> list[tuple[int, float]]:
    """A table's size in all over the last week, as it was counted last of each hour."""
    rows = _sized(reader, server, until_us)
    if rows is None:
        return []
    hours = rows.filter(pl.col("table") == table).group_by(pl.col("at_us") // HOUR_US, maintain_order=True).agg(
        pl.col("at_us").last().alias("last"), pl.col("size").last()
    )  # fmt: skip
    return [(int(at), float(size)) for at, size in hours.select("last", "size").iter_rows()]


def growth_of(sizes: Sequence[tuple[int, float]]) -> float | None:
    """Bytes a day by the first and the last of a table's sizes; None where they lie less than three hours apart."""
    if len(sizes) < 2 or sizes[-1][0] - sizes[0][0] < LEAST_US:
        return None
    return (sizes[-1][1] - sizes[0][1]) / (sizes[-1][0] - sizes[0][0]) * DAY_US
