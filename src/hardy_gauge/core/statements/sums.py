"""Statement intervals summed: totals of every figure, and seconds by wait family."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import polars as pl

from hardy_gauge.core.activity.wait_families import WaitMap
from hardy_gauge.core.figures.catalogue import STATEMENT_EXTREMES, STATEMENT_SUMS

FAMILY = "family."
WAIT = "wait."
WHOLE = 0.9


def by_family(frame: pl.DataFrame, waits: WaitMap) -> pl.DataFrame:
    """Statement intervals with seconds by wait family (columns ``family.<name>``) in place of the engine's own events
    (``wait.<event>``), and with every statement figure and dimension, null where a server does not report one.
    """
    events = [c for c in frame.columns if c.startswith(WAIT)]
    families: dict[str, list[str]] = {}
    for event in events:
        families.setdefault(waits.family(event.removeprefix(WAIT)), []).append(event)
    figures = (*STATEMENT_SUMS, *STATEMENT_EXTREMES)
    missing = [c for c in (*figures, "plan_key", "user", "service", "database") if c not in frame.columns]
    kinds = {c: pl.Float64 if c in figures else pl.String for c in missing}
    return frame.with_columns(
        *[pl.sum_horizontal(names).alias(f"{FAMILY}{family}") for family, names in families.items()],
        *[pl.lit(None, dtype=kind).alias(c) for c, kind in kinds.items()],
    ).drop(events)


def total(name: str) -> pl.Expr:
    """The sum of a figure, null where none of the rows has it."""
    return pl.when(pl.col(name).count() > 0).then(pl.col(name).sum()).alias(name)


def sums(frame: pl.DataFrame, by: Sequence[str]) -> pl.DataFrame:
    """Totals of every figure by the given columns, with ``last_us``, the start of the last interval."""
    if frame.is_empty():
        return frame
    waits = [c for c in frame.columns if c.startswith(FAMILY)]
    return frame.group_by(list(by)).agg(
        *[total(c) for c in (*STATEMENT_SUMS, *waits)],
        pl.col("least_s").min(),
        pl.col("greatest_s").max(),
        pl.col("at_us").max().alias("last_us"),
    )


def families(row: Mapping[str, Any], sampled: Mapping[str, float] | None = None) -> dict[str, float]:
    """Seconds by wait family from a row with ``family.<name>`` columns.

    Where the engine counts only a part of the time by what it was spent on, the whole is split as the session samples
    of the statement are: ``sampled``, shares by family.
    """
    counted = {name.removeprefix(FAMILY): float(v) for name, v in row.items() if name.startswith(FAMILY) and v}
    if sampled and sum(counted.values()) < WHOLE * row["time_s"]:
        return {family: share * float(row["time_s"]) for family, share in sampled.items()}
    return counted
