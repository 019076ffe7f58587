"""Statements of a server whose plan changed in a span, with what a call took before and after."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.statements.ratios import per_call
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statements import read_intervals, texts_of
from hardy_gauge.store.models import Server

MOST = 6


@dataclass(frozen=True)
class PlanChange:
    """From one plan to another; times are of a call with each, over the span."""

    at_us: int
    fingerprint: str
    text: str
    before: str
    after: str
    before_s: float | None
    after_s: float | None


def plan_changes(reader: Reader, owner: Server, span: Span, most: int = MOST) -> list[PlanChange]:
    """The last first, at most ``most``; a plan that comes back counts again."""
    frame = read_intervals(reader, [owner], span)
    if frame.is_empty():
        return []
    rows = frame.filter(pl.col("plan_key").is_not_null(), pl.col("calls") > 0).sort("at_us")
    by_plan = rows.group_by("statement", "plan_key").agg(pl.col("calls", "time_s").sum())
    each = {(s, key): per_call(calls, time_s) for s, key, calls, time_s in by_plan.iter_rows()}
    turned = (
        rows.with_columns(pl.col("plan_key").shift().over("statement").alias("before"))
        .filter(pl.col("before").is_not_null(), pl.col("before") != pl.col("plan_key"))
        .sort("at_us", descending=True)
        .head(most)
    )
    texts = texts_of(reader, turned["statement"].to_list())
    return [
        PlanChange(
            row["at_us"], texts[row["statement"]].fingerprint, texts[row["statement"]].text, row["before"], row["plan_key"],
            each.get((row["statement"], row["before"])), each.get((row["statement"], row["plan_key"])),
        )
        for row in turned.iter_rows(named=True)
        if row["statement"] in texts
    ]  # fmt: skip
