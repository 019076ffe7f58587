"""A statement's figures by time step."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.statements.ratios import examined_per_row, per_call
from hardy_gauge.core.statements.sums import total
from hardy_gauge.core.time.span import MINUTE_US, Span

STEPS = 120


@dataclass(frozen=True)
class History:
    """Arrays by time step; None where the statement was not called."""

    at_us: list[int]
    step_us: int
    calls_per_s: list[float | None]
    time_per_call_s: list[float | None]
    examined_per_row: list[float | None]
    plan_key: list[str | None]


def history_of(frame: pl.DataFrame, focus: Span) -> History:
    """At most about 120 steps of whole minutes, from the statement's intervals (at_us, span_s, figures, plan_key).

    Calls a second are divided by the length of the intervals in the step, which at the window's edges and beside gaps
    is shorter than the step.
    """
    step = max(MINUTE_US, (focus.until_us - focus.since_us) // STEPS // MINUTE_US * MINUTE_US)
    since = focus.since_us // step * step
    grid = list(range(since, focus.until_us, step))
    if frame.is_empty():
        none: list[float | None] = [None] * len(grid)
        return History(grid, step, none, none, none, [None] * len(grid))
    slotted = frame.with_columns(((pl.col("at_us") - since) // step).alias("slot")).sort("at_us")
    passed = (
        slotted.select("slot", "at_us", "span_s").unique(["slot", "at_us"]).group_by("slot").agg(pl.col("span_s").sum())
    )
    slots = (
        slotted.group_by("slot")
        .agg(*[total(c) for c in ("calls", "time_s", "rows_returned", "rows_examined")], pl.col("plan_key").last())
        .join(passed, on="slot")
    )
    by_slot = {row["slot"]: row for row in slots.iter_rows(named=True)}
    rows = [by_slot.get(i) for i in range(len(grid))]
    return History(
        at_us=grid, step_us=step,
        calls_per_s=[r["calls"] / r["span_s"] if r and r["span_s"] else None for r in rows],
        time_per_call_s=[per_call(r["calls"], r["time_s"]) if r else None for r in rows],
        examined_per_row=[examined_per_row(r["calls"], r["rows_returned"], r["rows_examined"]) if r else None for r in rows],
        plan_key=[r["plan_key"] if r else None for r in rows],
    )  # fmt: skip
