"""What a run by events leaves: executions, samples, figures by second, utilisation."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from practice_fleet.physics.wait_events import EVENTS

TICKS = ("tick_s", "pages_read", "pages_written", "log_bytes", "checkpoints", "checkpoints_forced")


@dataclass
class Result:
    """Executions (start_s, duration_s, statement, failed, one column a wait event), samples, figures by second, utilisation."""

    executions: pl.DataFrame
    samples: pl.DataFrame
    ticks: pl.DataFrame
    utilisation: dict[str, float]
    seconds: float


def result_of(
    finished: Sequence[Sequence[float]], samples: Sequence[Sequence[int]], ticks: Sequence[Sequence[float]],
    utilisation: dict[str, float], seconds: float,
) -> Result:  # fmt: skip
    """Tables from the rows that a run gathered; their order is that of the columns."""
    names = ["start_s", "duration_s", "statement", "failed", *(f"wait.{event}" for event in EVENTS)]
    schema = dict.fromkeys(names, pl.Float64()) | {"statement": pl.Int64(), "failed": pl.Boolean()}
    executions = pl.DataFrame(finished, schema=schema, orient="row")
    columns = ["tick_s", "session", "statement", "event", "blocked_by"]
    seen = pl.DataFrame(samples, schema=dict.fromkeys(columns, pl.Int64), orient="row")
    events = pl.Series("wait_event", EVENTS)
    seen = seen.with_columns(events.gather(seen["event"]).alias("wait_event")).drop("event")
    figures = pl.DataFrame(ticks, schema=dict.fromkeys(TICKS, pl.Float64), orient="row")
    return Result(executions, seen, figures, utilisation, seconds)
