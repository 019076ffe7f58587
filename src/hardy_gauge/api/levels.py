"""Figures that are read, not counted, as they were last in a window: ages, lag, dead rows, members, sequences."""

from __future__ import annotations

import math

from pydantic import BaseModel

from hardy_gauge.api.data import Data
from hardy_gauge.api.window import Span
from hardy_gauge.store import segments

RECENT_US = 5 * 60_000_000
# name, title, unit; a name that ends in a point stands for all that begin so
LEVELS = (
    ("memory_used_bytes", "memory used", "B"),
    ("sessions_open", "sessions open", ""),
    ("replica_lag_s", "replica lag", "s"),
    ("replica_lag_bytes", "log not applied", "B"),
    ("replica_lag_bytes.", "log not applied by", "B"),
    ("database_bytes.", "database", "B"),
    ("idle_transactions", "idle in transactions", ""),
    ("oldest_transaction_s", "oldest transaction", "s"),
    ("transaction_age", "transaction age", ""),
    ("dead_rows_share", "dead rows", "share"),
    ("sequence_used.", "sequence used", "share"),
    ("members_seen", "members seen", ""),
    ("partitions_coming", "partitions coming", ""),
    ("partitions_going", "partitions going", ""),
    ("copies_missing", "copies missing", ""),
    ("own.", "yours:", ""),
)


class LevelOut(BaseModel):
    """One level figure; ``of`` names what it is of, where there are several."""

    name: str
    title: str
    of: str
    value: float
    unit: str


def levels_of(data: Data, server_id: int, span: Span) -> list[LevelOut]:
    """The last value of every level that the server reports, in the order of ``LEVELS``."""
    with data.store.read() as session:
        frame = segments.read(session, [server_id], "metric", span.until_us - RECENT_US, span.until_us)
    if frame.is_empty():
        return []
    last = {
        name: float(found[-1])
        for name in frame.columns
        if frame[name].dtype.is_numeric() and len(found := frame[name].drop_nulls())
    }
    rows = []
    for known, title, unit in LEVELS:
        for name in sorted(last):
            if name == known or (known.endswith(".") and name.startswith(known)):
                of = name.removeprefix(known) if known.endswith(".") else ""
                rows.append(LevelOut(name=name, title=title, of=of, value=last[name], unit=unit))
    return [row for row in rows if math.isfinite(row.value)]
