"""Session samples of a window, and how many moments were looked at."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from sqlalchemy import select

from hardy_gauge.api.data import Data
from hardy_gauge.api.window import Span
from hardy_gauge.store import segments
from hardy_gauge.store.models import Gap, Server

SECOND_US = 1_000_000
# kinds of gaps in which sessions were not looked at
UNSEEN = ("gap", "paused", "not sampled")


def read_samples(data: Data, servers: Sequence[Server], span: Span, columns: Sequence[str]) -> pl.DataFrame:
    """Samples of the servers in the span, with a ``server`` column (name) if asked for, and with ``weight``, the
    seconds a sample stands for, where it was not always one; then also ``one_in`` and ``session`` (unique over the
    servers) where one session stands for several.
    """
    names = {server.id: server.name for server in servers}
    wanted = [*(c for c in columns if c != "server"), "weight", "one_in"]
    with data.store.read() as session:
        frame = segments.read(session, list(names), "sample", span.since_us, span.until_us, wanted)
        if "one_in" in frame.columns:
            wanted.append("session")
            frame = segments.read(session, list(names), "sample", span.since_us, span.until_us, wanted)
            whose = pl.struct("server_id", "session").hash()
            frame = frame.with_columns(pl.col("one_in").fill_null(1), whose.alias("session"))
    if frame.is_empty():
        schema = {"at_us": pl.Int64, **{c: pl.Int32 if c == "statement" else pl.String for c in columns}}
        return pl.DataFrame(schema=schema)
    if "weight" in frame.columns:
        frame = frame.with_columns(pl.col("weight").fill_null(1.0))
    if "server" in columns:
        names_of = pl.DataFrame(
            {"server_id": list(names), "server": list(names.values())},
            schema={"server_id": pl.Int32, "server": pl.String},
        )
        frame = frame.join(names_of, on="server_id")
    return frame.drop("server_id")


def moments(data: Data, servers: Sequence[Server], span: Span, kind: segments.Kind = "sample") -> int:
    """Seconds of the span in which a series was recorded: from the first recorded moment to the last written one, less
    the gaps.
    """
    with data.store.read() as session:
        known = segments.bounds(session, [s.id for s in servers], kind)
    if known is None:
        return 0
    since, until = max(span.since_us, known[0]), min(span.until_us, known[1])
    return max(0, (until - since - _missed(data, servers, since, until)) // SECOND_US)


def _missed(data: Data, servers: Sequence[Server], since: int, until: int) -> int:
    """Microseconds of the span that lie in gaps, on average over the servers."""
    with data.store.read() as session:
        gaps = session.scalars(
            select(Gap).where(
                Gap.server_id.in_([s.id for s in servers]), Gap.kind.in_(UNSEEN), Gap.from_us < until,
                (Gap.to_us.is_(None)) | (Gap.to_us > since),
            )
        )  # fmt: skip
        missed = sum(min(gap.to_us or until, until) - max(gap.from_us, since) for gap in gaps)
    return missed // max(len(servers), 1)
