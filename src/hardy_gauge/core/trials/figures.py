"""The figures of one run, from its executions, after its warm-up was removed."""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np
import polars as pl

from hardy_gauge.core.trials.warmup import mser5

Metric = Literal["throughput", "mean", "p50", "p95", "p99"]
METRICS: tuple[Metric, ...] = get_args(Metric)
UNITS: dict[str, str] = {"throughput": "/s", "mean": "s", "p50": "s", "p95": "s", "p99": "s"}
BINS = 60


def warm_after(executions: pl.DataFrame, seconds: float) -> float:
    """Second at which the warm-up ends, from the mean duration in 60 slices of the run."""
    if executions.is_empty():
        return 0.0
    slices = (pl.col("start_s") / (seconds / BINS)).floor().cast(pl.Int64).alias("slice")
    means = executions.group_by(slices).agg(pl.col("duration_s").mean()).sort("slice")
    full = pl.DataFrame({"slice": range(BINS)}).join(means, on="slice", how="left")["duration_s"]
    values = full.interpolate().fill_null(strategy="backward").fill_null(strategy="forward").to_numpy()
    return mser5(values) * seconds / BINS


def run_figures(executions: pl.DataFrame, seconds: float, statement: int | None, warm_s: float) -> dict[str, float]:
    """Throughput (1/s) and durations (s) of one statement, or of all.

    ``executions`` has start_s, duration_s, statement. Those that ended between ``warm_s`` and the end of
    the run count, whenever they began: counting by the start would leave long ones out at the end.
    """
    ended = pl.col("start_s") + pl.col("duration_s")
    warm = executions.filter((ended > warm_s) & (ended <= seconds))
    if statement is not None:
        warm = warm.filter(pl.col("statement") == statement)
    durations = warm["duration_s"].to_numpy()
    span = max(seconds - warm_s, 1e-9)
    if not len(durations):
        return {"throughput": 0.0, "executions": 0.0}
    p50, p95, p99 = np.quantile(durations, [0.5, 0.95, 0.99])
    return {
        "throughput": len(durations) / span,
        "mean": float(durations.mean()),
        "p50": float(p50),
        "p95": float(p95),
        "p99": float(p99),
        "executions": float(len(durations)),
    }
