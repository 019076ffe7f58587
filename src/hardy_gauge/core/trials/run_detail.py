"""What is kept of the executions of a run beside its figures: each statement's own, how durations are spread, and how it went by second."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl

PER_DECADE = 40  # bins of durations: each 6% wide
SHORTEST_S = 1e-7
QUANTILES = (0.5, 0.95, 0.99)


@dataclass(frozen=True)
class StatementFigures:
    """Of one statement, after the warm-up: executions that ended and failed ones; durations in seconds, None where none ended."""

    ended: int
    failed: int
    least: float | None = None
    mean: float | None = None
    greatest: float | None = None
    p50: float | None = None
    p95: float | None = None
    p99: float | None = None


@dataclass(frozen=True)
class RunDetail:
    """``statements`` in the order of the workload. ``bins`` are durations of the goal by number of ``bin_end``, with how many are in each.
    By second of the run, from its start: executions that ``ended`` and ``failed``, and ``mean_s`` of those that ended, None in a second without.
    """

    statements: Sequence[StatementFigures] = ()
    bins: Sequence[tuple[int, int]] = ()
    ended: Sequence[int] = ()
    failed: Sequence[int] = ()
    mean_s: Sequence[float | None] = ()


def bin_end(number: int) -> float:
    """Seconds that durations of a bin are at most."""
    return float(SHORTEST_S * 10 ** ((number + 1) / PER_DECADE))


def run_detail(executions: pl.DataFrame, seconds: float, statements: int, goal: int | None, warm_s: float) -> RunDetail:
    """``executions`` has start_s, duration_s, statement and perhaps failed; those that ended between ``warm_s`` and the end count, but for
    the seconds, which show the warm-up too.
    """
    if "failed" not in executions.columns:
        executions = executions.with_columns(failed=pl.lit(False))
    frame = executions.select(
        "statement", "duration_s", "failed", (pl.col("start_s") + pl.col("duration_s")).alias("end_s")
    )
    warm = frame.filter((pl.col("end_s") > warm_s) & (pl.col("end_s") <= seconds))
    good = warm.filter(~pl.col("failed"))
    duration = pl.col("duration_s")
    figures = good.group_by("statement").agg(
        pl.len().alias("ended"), duration.min().alias("least"), duration.mean().alias("mean"), duration.max().alias("greatest"),
        *(duration.quantile(one, "linear").alias(f"p{round(one * 100)}") for one in QUANTILES),
    )  # fmt: skip
    told = {row.pop("statement"): row for row in figures.to_dicts()}
    wrong = dict(warm.filter("failed").group_by("statement").len().iter_rows())
    mine = good if goal is None else good.filter(pl.col("statement") == goal)
    bins = np.floor(PER_DECADE * np.log10(np.maximum(mine["duration_s"].to_numpy(), SHORTEST_S) / SHORTEST_S)).astype(
        int
    )
    numbers, counts = np.unique(bins, return_counts=True)
    return RunDetail(
        [StatementFigures(failed=wrong.get(one, 0), **told.get(one, {"ended": 0})) for one in range(statements)],
        [(int(one), int(count)) for one, count in zip(numbers, counts, strict=True)], *_by_second(frame, seconds),
    )  # fmt: skip


def _by_second(frame: pl.DataFrame, seconds: float) -> tuple[list[int], list[int], list[float | None]]:
    """Whole seconds alone: a last part of one would look like a fall."""
    whole = int(seconds)
    second = pl.col("end_s").floor().cast(pl.Int64)
    ended = ~pl.col("failed")
    grouped = frame.group_by(second.alias("second")).agg(
        ended.sum().alias("ended"), pl.col("failed").sum().alias("failed"), pl.col("duration_s").filter(ended).mean().alias("mean_s")
    )  # fmt: skip
    full = (
        pl.DataFrame({"second": range(whole)}, schema={"second": pl.Int64})
        .join(grouped, on="second", how="left")
        .sort("second")
    )
    return full["ended"].fill_null(0).to_list(), full["failed"].fill_null(0).to_list(), full["mean_s"].to_list()
