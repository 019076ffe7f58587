"""What the log said in a span, by shape of the message."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from sqlalchemy import select

from hardy_gauge.core.log.message_row import MessageRow
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server, Statement

MOST = 12
SHAPE = ("severity", "code", "shape")
ORDER = ("error", "warning", "info")


def messages_in(
    reader: Reader,
    servers: Sequence[Server],
    span: Span,
    statement: int | None = None,
    holding: str = "",
    most: int = MOST,
) -> list[MessageRow]:
    """Errors first, then warnings, each by number; at most ``most``. ``statement``: only what was said while it ran; ``holding``: only
    what has the word in its shape or code.
    """
    ids = [server.id for server in servers]
    with reader.store.read() as session:
        # a row stands at the beginning of its minute
        since = span.since_us // MINUTE_US * MINUTE_US
        frame = segments.read(session, ids, "message", since, span.until_us)
        if frame.is_empty():
            return []
        if statement is not None:
            frame = frame.filter(pl.col("statement") == statement)
        if holding:
            frame = frame.filter(
                pl.any_horizontal(
                    pl.col(c).str.to_lowercase().str.contains(holding, literal=True) for c in ("shape", "code")
                )
            )
        rank = pl.col("severity").replace_strict(list(ORDER), [0, 1, 2], default=2).alias("rank")
        rows = by_shape(frame).with_columns(rank).sort("rank", "count", "shape", descending=[False, True, False])
        rows = rows.head(most).drop("rank", "users", "server_ids")
        ran = [number for number in rows["statement"].to_list() if number is not None]
        known = {row.id: row for row in session.scalars(select(Statement).where(Statement.id.in_(ran)))}
    return [_row(row, known) for row in rows.iter_rows(named=True)]


def by_shape(frame: pl.DataFrame) -> pl.DataFrame:
    """Messages summed by severity, code and shape: ``count``, when first and last, of which ``server_ids``, ``services`` and ``users``, the
    ``statement`` that ran most often then, and the last ``detail``.
    """
    who = (pl.col(name).filter(pl.col(name) != "").unique().sort().alias(f"{name}s") for name in ("service", "user"))
    return frame.group_by(SHAPE).agg(
        pl.col("count").sum(), pl.col("at_us").min().alias("first_us"), pl.col("at_us").max().alias("last_us"),
        pl.col("server_id").unique().sort().alias("server_ids"), *who,
        pl.col("statement").filter(pl.col("statement") >= 0).mode().first().alias("statement"), pl.col("detail").sort_by("at_us").last(),
    )  # fmt: skip


def errors_by_statement(reader: Reader, servers: Sequence[Server], span: Span) -> dict[int, float] | None:
    """Errors that the log reports of each statement; None where no server of them reports its log."""
    able = [server.id for server in servers if "messages" in server.abilities]
    if not able:
        return None
    with reader.store.read() as session:
        frame = segments.read(
            session,
            able,
            "message",
            span.since_us // MINUTE_US * MINUTE_US,
            span.until_us,
            ["statement", "severity", "count"],
        )
    if frame.is_empty():
        return {}
    failed = frame.filter(pl.col("severity") == "error", pl.col("statement") >= 0)
    return dict(failed.group_by("statement").agg(pl.col("count").sum().cast(pl.Float64)).iter_rows())


def _row(row: dict[str, object], known: dict[int, Statement]) -> MessageRow:
    ran = known.get(row.pop("statement") or 0)  # type: ignore[call-overload]
    return MessageRow(**row, fingerprint=ran.fingerprint if ran else "", text=ran.text if ran else "")  # type: ignore[arg-type]
