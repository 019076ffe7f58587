"""Where the time goes: session samples summed by one or two dimensions, with margins of error.

The unit is active sessions: samples ÷ moments looked at, which is time spent ÷ time passed.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final, Literal, get_args

import polars as pl

from hardy_gauge.core.activity.margins import with_margins

Dimension = Literal[
    "statement", "kind", "wait_family", "wait_event", "object", "user", "service", "route", "database", "client", "session", "server"
]  # fmt: skip
DIMENSIONS: tuple[Dimension, ...] = get_args(Dimension)
# of what the server counts by statement
COUNTED_DIMENSIONS: tuple[Dimension, ...] = ("statement", "kind", "user", "service", "database", "server")
Measure = Literal[
    "time", "calls", "rows_returned", "rows_examined", "pages_read", "pages_requested", "temporary_pages", "log_bytes"
]
TIME: Final = "time"
UNITS: dict[Measure, str] = {"time": "", "log_bytes": "B/s"}
COUNTED_UNIT = "/s"
PERIOD_US = 1_000_000


def time_spent(samples: pl.DataFrame) -> pl.Expr:
    """The time that samples stand for, in seconds, summed."""
    return (pl.col("weight").sum() if "weight" in samples.columns else pl.len()).cast(pl.Float64)


def entries(samples: pl.DataFrame, by: Sequence[str], seconds: float, period_us: int = PERIOD_US) -> pl.DataFrame:
    """One row an entry, most time first: keys, samples, active_sessions with low and high, share.

    ``samples`` has ``at_us``, the columns of ``by`` and perhaps ``weight`` (seconds that a sample stands for), with
    ``one_in`` and ``session`` where one session stands for several; ``seconds`` were looked at.
    """
    summed = with_margins(samples, by, max(round(seconds), 1), period_us)
    looked = max(seconds, 1.0)
    rows = summed.select(*by, "samples", *(pl.col(c) / looked for c in ("n", "low", "high")))
    return _ranked(rows, by)


def entries_of_servers(samples: pl.DataFrame, by: Sequence[str], seconds: Mapping[int, float]) -> pl.DataFrame:
    """As ``entries``, of servers that were looked at for different times: each server's time by its own seconds.

    ``samples`` has ``server_id`` too. Servers looked at for the same time are counted together; intervals of the parts
    are put together by the distances of their ends (Zou and Donner, "Construction of confidence limits about effect
    measures: a general approach", Statistics in Medicine 27, 2008).
    """
    groups: dict[int, list[int]] = {}
    for server_id, looked in seconds.items():
        groups.setdefault(round(looked), []).append(server_id)
    if len(groups) <= 1:
        return entries(samples, by, next(iter(seconds.values()), 0.0))
    parts = []
    for ids in groups.values():
        mine = samples.filter(pl.col("server_id").is_in(ids))
        if len(mine):
            parts.append(entries(mine, by, seconds[ids[0]]).drop("share"))
    if not parts:
        return entries(samples, by, 0.0)
    below, above = (pl.col("active_sessions") - pl.col("low")) ** 2, (pl.col("high") - pl.col("active_sessions")) ** 2
    rows = (
        pl.concat(parts)
        .group_by(list(by))
        .agg(
            pl.col("samples").sum(),
            pl.col("active_sessions").sum().alias("n"),
            (pl.col("active_sessions").sum() - below.sum().sqrt()).alias("low"),
            (pl.col("active_sessions").sum() + above.sum().sqrt()).alias("high"),
        )
    )
    return _ranked(rows, by)


def counted_entries(rows: pl.DataFrame, by: Sequence[str], seconds: Mapping[int, float]) -> pl.DataFrame:
    """As ``entries_of_servers``, of what was counted and not sampled: ``weight`` a second, without a margin."""
    passed = pl.col("server_id").replace_strict(dict(seconds), default=None, return_dtype=pl.Float64)
    rate = (pl.col("weight") / passed).sum()
    summed = rows.group_by(list(by)).agg(pl.len().cast(pl.Int64).alias("samples"), rate.alias("n"))
    return _ranked(summed.with_columns(pl.col("n").alias("low"), pl.col("n").alias("high")), by)


def _ranked(rows: pl.DataFrame, by: Sequence[str]) -> pl.DataFrame:
    total = max(float(rows["n"].sum()), 1e-9) if len(rows) else 1.0
    return rows.select(
        *by, "samples", pl.col("n").alias("active_sessions"), "low", "high", (pl.col("n") / total).alias("share")
    ).sort("active_sessions", *by, descending=[True] + [False] * len(by))


def over_time(samples: pl.DataFrame, by: str, since_us: int, until_us: int, step_us: int) -> pl.DataFrame:
    """Active sessions by time step and entry: columns at_us (start of the step), ``by``, active_sessions."""
    moments = step_us / PERIOD_US
    return (
        samples.with_columns(((pl.col("at_us") - since_us) // step_us * step_us + since_us).alias("at_us"))
        .filter(pl.col("at_us").is_between(since_us, until_us - 1))
        .group_by("at_us", by)
        .agg((time_spent(samples) / moments).alias("active_sessions"))
        .sort("at_us", by)
    )
