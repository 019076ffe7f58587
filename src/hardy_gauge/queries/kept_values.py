"""Values that the executions of a statement had, where a capture rule keeps them."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from sqlalchemy import select

from hardy_gauge.core.sql.parameter_values import Bound, parameter_values
from hardy_gauge.core.time.span import DAY_US
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server, Statement

DAYS, MOST = 7, 1000


def kept_values(store: Store, server: str, fingerprint: str, statement: str, now_us: int) -> Sequence[list[Bound]]:
    """Of the last executions within a week, each with a value for every parameter of ``statement``; empty where none were kept."""
    with store.read() as session:
        place = session.scalar(select(Server.id).where(Server.name == server))
        number = session.scalar(select(Statement.id).where(Statement.fingerprint == fingerprint))
        if place is None or number is None:
            return []
        columns = ["statement", "text"]
        frame = segments.read(session, [place], "execution", now_us - DAYS * DAY_US, now_us + 1, columns)
    if frame.is_empty() or "text" not in frame.columns:
        return []
    mine = frame.filter(pl.col("statement") == number, pl.col("text").is_not_null()).sort("ended_at_us").tail(MOST)
    found = (parameter_values(statement, text) for text in mine["text"])
    return [one for one in found if one is not None]
