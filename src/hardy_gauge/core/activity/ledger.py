"""Where the time goes: session samples summed by one or two dimensions, with margins of error.

The unit is active sessions: samples ÷ moments looked at, which is time spent ÷ time passed.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, get_args

import polars as pl

from hardy_gauge.core.activity.margins import with_margins

Dimension = Literal["statement", "wait_family", "wait_event", "user", "service", "database", "server"]
DIMENSIONS: tuple[Dimension, ...] = get_args(Dimension)
PERIOD_US = 1_000_000


def filtered(samples: pl.DataFrame, filters: Mapping[str, Sequence[str | int]]) -> pl.DataFrame:
    """Only the samples whose dimensions have one of the values asked for."""
    wanted = [pl.col(dimension).is_in(list(values)) for dimension, values in filters.items()]
    return samples.lazy().filter(*wanted).collect(engine="streaming") if wanted else samples


def time_spent(samples: pl.DataFrame) -> pl.Expr:
    """The time that samples stand for, in seconds, summed."""
    return (pl.col("weight").sum() if "weight" in samples.columns else pl.len()).cast(pl.Float64)


def accounts(samples: pl.DataFrame, by: Sequence[str], ticks: int, period_us: int = PERIOD_US) -> pl.DataFrame:
    """One row an account, most time first: keys, samples, active_sessions with low and high, share.

    ``samples`` has ``at_us``, the columns of ``by`` and perhaps ``weight`` (seconds that a sample stands for), with
    ``one_in`` and ``session`` where one session stands for several; ``ticks`` counts the seconds looked at.
    """
    summed = with_margins(samples, by, ticks, period_us)
    total = max(float(summed["n"].sum()), 1e-9) if len(summed) else 1.0
    moments = max(ticks, 1)
    return summed.select(
        *by,
        "samples",
        (pl.col("n") / moments).alias("active_sessions"),
        (pl.col("low") / moments).alias("low"),
        (pl.col("high") / moments).alias("high"),
        (pl.col("n") / total).alias("share"),
    ).sort("active_sessions", *by, descending=[True] + [False] * len(by))


def over_time(samples: pl.DataFrame, by: str, since_us: int, until_us: int, step_us: int) -> pl.DataFrame:
    """Active sessions by time step and account: columns at_us (start of the step), ``by``, active_sessions."""
    moments = step_us / PERIOD_US
    return (
        samples.with_columns(((pl.col("at_us") - since_us) // step_us * step_us + since_us).alias("at_us"))
        .filter(pl.col("at_us").is_between(since_us, until_us - 1))
        .group_by("at_us", by)
        .agg((time_spent(samples) / moments).alias("active_sessions"))
        .sort("at_us", by)
    )
