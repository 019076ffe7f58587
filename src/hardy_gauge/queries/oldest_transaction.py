"""The transaction that was open longest in a span, and whose it is, working or not."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.activity.waiting import OLD_TRANSACTION_US
from hardy_gauge.core.narrative.waiting import oldest_transaction_words
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statements import texts_of
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server

BEGAN = "transaction_began_us"


@dataclass(frozen=True)
class OldestTransaction:
    """``fingerprint`` and ``text`` are of what it ran when it was seen last, or ran last before it did nothing."""

    session: int
    user: str
    service: str
    age_s: float
    began_us: int
    fingerprint: str
    text: str
    words: str


def oldest_transaction(reader: Reader, owner: Server, span: Span) -> OldestTransaction | None:
    """Of those that were open for a minute or more when they were seen; None where none was, or none is reported."""
    parts = []
    columns = ["session", "user", "service", "statement", BEGAN]
    with reader.store.read() as session:
        for kind in ("sample", "holder"):
            frame = segments.read(session, [owner.id], kind, span.since_us, span.until_us, columns)
            if BEGAN in frame.columns and "statement" in frame.columns:
                known = frame.filter(pl.col("at_us") - pl.col(BEGAN) >= OLD_TRANSACTION_US)
                parts.append(known.select("at_us", *columns).with_columns(pl.lit(kind == "holder").alias("idle")))
    rows = pl.concat(parts, how="diagonal_relaxed") if parts else pl.DataFrame()
    if rows.is_empty():
        return None
    row = rows.with_columns((pl.col("at_us") - pl.col(BEGAN)).alias("age")).sort("age").row(-1, named=True)
    text = texts_of(reader, [row["statement"]]).get(row["statement"])
    age_s = row["age"] / 1e6
    return OldestTransaction(
        row["session"], row["user"], row["service"], age_s, row[BEGAN], text.fingerprint if text else "",
        text.text if text else "", oldest_transaction_words(age_s, row["idle"]),
    )  # fmt: skip
