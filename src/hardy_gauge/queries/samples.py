"""Session samples of a span as the ledger takes them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import polars as pl

from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server

KINDS: dict[str, Any] = {
    "blockers": pl.List(pl.Int64),
    "statement": pl.Int32,
    "server_id": pl.Int32,
    "session": pl.Int64,
    "began_us": pl.Int64,
}


def read_samples(
    reader: Reader, servers: Sequence[Server], span: Span, columns: Sequence[str], as_codes: bool = False
) -> pl.DataFrame:
    """Samples of the servers in the span: ``at_us``, ``server_id``, the columns asked for (``server`` is its name),
    with ``weight``, the seconds a sample stands for, where it was not always one; then also ``one_in`` and ``session``
    (unique over the servers) where one session stands for several. A ``session`` that is asked for is as its server numbers it.
    ``as_codes``: texts are ``Categorical``, for many rows.
    """
    names = {server.id: server.name for server in servers}
    text = pl.Categorical if as_codes else pl.String
    wanted = [*(c for c in columns if c != "server"), "weight", "one_in"]
    with reader.store.read() as session:
        frame = segments.read(session, list(names), "sample", span.since_us, span.until_us, wanted, as_codes=as_codes)
        if "one_in" in frame.columns:
            wanted.append("session")
            frame = segments.read(
                session, list(names), "sample", span.since_us, span.until_us, wanted, as_codes=as_codes
            )
            whose = pl.col("session") if "session" in columns else pl.struct("server_id", "session").hash()
            frame = frame.with_columns(pl.col("one_in").fill_null(1), whose.alias("session"))
    if frame.is_empty():
        return pl.DataFrame(schema={"at_us": pl.Int64, **{c: KINDS.get(c, text) for c in ("server_id", *columns)}})
    if "weight" in frame.columns:
        frame = frame.with_columns(pl.col("weight").fill_null(1.0))
    for name in columns:
        if name not in frame.columns and name != "server":
            frame = frame.with_columns(pl.lit(None, dtype=KINDS.get(name, text)).alias(name))
    if "server" in columns:
        named = pl.DataFrame(
            {"server_id": list(names), "server": list(names.values())},
            schema={"server_id": pl.Int32, "server": text},
        )
        frame = frame.join(named, on="server_id")
    return frame
