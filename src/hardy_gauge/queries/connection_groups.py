"""Who is connected to a server: open sessions by service, user, client and state."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server

MOST = 10
WHO = ("service", "user", "client")


@dataclass(frozen=True)
class ConnectedGroup:
    """Sessions of one service, user and client: how many were open at the end of a span, how many of them idle, and the most that
    were open in a minute of it.
    """

    service: str
    user: str
    client: str
    open: int
    idle: int
    most: int


def connected_groups(reader: Reader, owner: Server, span: Span) -> list[ConnectedGroup]:
    """The groups that had most sessions open, at most ten; none where the server does not tell."""
    with reader.store.read() as session:
        since = span.since_us // MINUTE_US * MINUTE_US
        frame = segments.read(session, [owner.id], "connection", since, span.until_us)
    if frame.is_empty():
        return []
    idle = pl.col("count").filter(pl.col("state") == "idle").sum().alias("idle")
    minutes = frame.group_by("at_us", *WHO).agg(pl.col("count").sum().alias("open"), idle)
    last = pl.col("at_us") == frame["at_us"].max()
    rows = (
        minutes.group_by(*WHO)
        .agg(pl.col("open").filter(last).sum(), pl.col("idle").filter(last).sum(), pl.col("open").max().alias("most"))
        .sort("most", *WHO, descending=[True, False, False, False])
        .head(MOST)
    )
    return [ConnectedGroup(**row) for row in rows.iter_rows(named=True)]
