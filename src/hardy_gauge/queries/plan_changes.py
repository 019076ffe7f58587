"""Statements of a server whose plan changed in a span, with what a call took before and after."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.statements.ratios import per_call
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.hourly import hourly
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statements import CALLS, texts_of
from hardy_gauge.store.models import Server

MOST = 6
MINE = ["server_id", "statement"]


@dataclass(frozen=True)
class PlanChange:
    """From one plan to another on a server; times are of a call with each, over the span."""

    server_id: int
    at_us: int
    fingerprint: str
    text: str
    before: str
    after: str
    before_s: float | None
    after_s: float | None


def plan_changes(reader: Reader, owner: Server, span: Span, most: int = MOST) -> list[PlanChange]:
    """The last first, at most ``most``; a plan that comes back counts again."""
    return plan_changes_of(reader, [owner], span, most)


def plan_changes_of(reader: Reader, servers: Sequence[Server], span: Span, most: int) -> list[PlanChange]:
    """Of each server at most ``most``, the last first."""
    runs = hourly(reader, servers, "statement", span, CALLS, plan_runs)
    if runs.is_empty():
        return []
    changed = runs.group_by(MINE).agg(pl.col("plan_key").n_unique()).filter(pl.col("plan_key") > 1)
    runs = runs.join(changed.select(MINE), on=MINE, how="semi").sort("at_us")
    by_plan = runs.group_by(*MINE, "plan_key").agg(pl.col("calls", "time_s").sum())
    each = {tuple(key): per_call(calls, time_s) for *key, calls, time_s in by_plan.iter_rows()}
    turned = (
        runs.with_columns(pl.col("plan_key").shift().over(MINE).alias("before"))
        .filter(pl.col("before").is_not_null(), pl.col("before") != pl.col("plan_key"))
        .sort("at_us", descending=True)
        .group_by("server_id", maintain_order=True)
        .head(most)
    )
    texts = texts_of(reader, turned["statement"].to_list())
    return [
        PlanChange(
            row["server_id"], row["at_us"], texts[row["statement"]].fingerprint, texts[row["statement"]].text, row["before"], row["plan_key"],
            *(each.get((row["server_id"], row["statement"], row[name])) for name in ("before", "plan_key")),
        )
        for row in turned.iter_rows(named=True)
        if row["statement"] in texts
    ]  # fmt: skip


def plan_runs(rows: pl.DataFrame) -> pl.DataFrame:
    """Of each server and statement the stretches in which calls used one plan: when one begins, its plan, calls and time."""
    if "plan_key" not in rows.columns:
        return pl.DataFrame()
    used = rows.filter(pl.col("plan_key").is_not_null(), pl.col("calls") > 0).sort("at_us", maintain_order=True)
    other = (pl.col("plan_key") != pl.col("plan_key").shift()).fill_null(True)
    return (
        used.with_columns(other.cum_sum().over(MINE).alias("run"))
        .group_by(*MINE, "plan_key", "run")
        .agg(pl.col("at_us").min(), pl.col("calls", "time_s").sum())
        .drop("run")
    )
