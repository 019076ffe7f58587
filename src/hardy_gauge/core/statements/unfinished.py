"""Calls that had begun and not ended when a window ends: counters do not have them yet, samples see them."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.time.span import SECOND_US, Span

LAST_LOOK_US = 5 * SECOND_US


@dataclass(frozen=True)
class Unfinished:
    """Of one statement: how many calls, and the part of their age that lies in the window, in seconds."""

    calls: int
    seconds: float


def unfinished_calls(samples: pl.DataFrame, window: Span) -> dict[int, Unfinished]:
    """By statement, from the last look at each server that is not more than five seconds before the window's end.

    ``samples`` has at_us, server_id, session, statement and began_us, when the call began, null where it is younger
    than a look or not reported. Where one session in several is followed (``one_in``) each stands for as many.
    """
    if samples.is_empty() or "began_us" not in samples.columns:
        return {}
    last = samples.filter(pl.col("at_us") >= window.until_us - LAST_LOOK_US).filter(
        pl.col("at_us") == pl.col("at_us").max().over("server_id")
    )
    many = pl.col("one_in").fill_null(1) if "one_in" in samples.columns else pl.lit(1)
    age = (pl.col("at_us") - pl.max_horizontal(pl.col("began_us"), pl.lit(window.since_us))) / SECOND_US
    rows = (
        last.drop_nulls("began_us")
        .with_columns(age.alias("age_s"), many.alias("many"))
        .filter(pl.col("age_s") > 0)
        .group_by("statement")
        .agg(pl.col("many").sum(), (pl.col("age_s") * pl.col("many")).sum().alias("seconds"))
    )
    return {int(s): Unfinished(int(calls), float(seconds)) for s, calls, seconds in rows.iter_rows()}
