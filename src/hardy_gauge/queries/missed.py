"""What recording weighty statements only would leave out, by the last day's statement intervals."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.narrative.missed import NOTHING, missed_sentence
from hardy_gauge.core.time.span import DAY_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statements import read_intervals
from hardy_gauge.store.models import Server


@dataclass(frozen=True)
class Missed:
    """Shares are None where nothing was recorded."""

    sentence: str
    missed_share: float | None
    missed_calls_share: float | None
    statements: int
    missed_statements: int


def missed_by(reader: Reader, servers: Sequence[Server], weighty_from_s: float) -> Missed:
    """How much time lies in statements that are lighter a call than ``weighty_from_s``."""
    now = reader.clock()
    frame = read_intervals(reader, servers, Span(now - DAY_US, now))
    if frame.is_empty():
        return Missed(NOTHING, None, None, 0, 0)
    light = frame.filter(pl.col("time_s") < weighty_from_s * pl.col("calls"))
    time, calls = (float(light[c].sum() or 0) / max(float(frame[c].sum() or 0), 1e-12) for c in ("time_s", "calls"))
    every = frame["statement"].n_unique()
    gone = every - frame.join(light, on=["server_id", "statement", "at_us"], how="anti")["statement"].n_unique()
    return Missed(missed_sentence(time, calls, gone, every), time, calls, every, gone)
