"""Figures of a server by minute, and over a span, from recorded rows.

A row is an interval: it is filed under the minute in which the larger part of it lies, and says in ``span_s`` how long
it was. Several rows of one minute followed each other (counters read every ten seconds), or, where they last longer
than the minute together, were recorded beside each other (imports of several files): then the minute counts once.
"""

from __future__ import annotations

import numpy as np
import polars as pl
from numpy.typing import NDArray

from hardy_gauge.core.figures.catalogue import SPAN, Figure

Array = NDArray[np.float64]
Times = NDArray[np.int64]
BESIDE_S = 90.0


def covered_s(frame: pl.DataFrame) -> float:
    """Seconds that the rows cover, each minute once; ``frame`` has at_us and span_s, null where it is not known."""
    if frame.is_empty() or SPAN not in frame.columns:
        return 0.0
    times, spans = frame["at_us"].to_numpy(), frame[SPAN].to_numpy().astype(float)  # null is NaN here
    known = ~np.isnan(spans)
    order = np.argsort(times[known], kind="stable")
    _, first = np.unique(times[known][order], return_index=True)
    spans = spans[known][order]
    return float(_passed(spans, first).sum()) if len(first) else 0.0


def covered_by_server(frame: pl.DataFrame) -> dict[int, float]:
    """As ``covered_s``, of each server in ``server_id``; without those of which nothing is known."""
    known = frame.select("server_id", "at_us", SPAN).drop_nulls().sort("server_id", "at_us", maintain_order=True)
    if known.is_empty():
        return {}
    owners, times, spans = (known[c].to_numpy() for c in ("server_id", "at_us", SPAN))
    first = np.flatnonzero((np.diff(times, prepend=times[0] - 1) != 0) | (np.diff(owners, prepend=owners[0]) != 0))
    seconds = _passed(spans.astype(float), first)
    found, begin = np.unique(owners[first], return_index=True)
    return dict(zip(found.tolist(), np.add.reduceat(seconds, begin).tolist(), strict=True))


def by_minute_of_servers(frame: pl.DataFrame, figure: Figure) -> tuple[Times, Times, Array]:
    """As ``by_minute``, of many servers at once: the ``server_id`` of each value, its time, and the value."""
    owners, times, over, under = _sums_of_servers(frame, figure)
    with np.errstate(divide="ignore", invalid="ignore"):
        return owners, times, np.where(under > 0, over / under, np.nan)


def over_span_by_server(frame: pl.DataFrame, figure: Figure) -> dict[int, float]:
    """As ``over_span``, of each server in ``server_id``; without those that report nothing."""
    owners, _, over, under = _sums_of_servers(frame, figure)
    if not len(owners):
        return {}
    found, begin = np.unique(owners, return_index=True)
    over, under = np.add.reduceat(over, begin), np.add.reduceat(under, begin)
    return {int(i): float(a / b) for i, a, b in zip(found, over, under, strict=True) if b > 0}


def _sums_of_servers(frame: pl.DataFrame, figure: Figure) -> tuple[Times, Times, Array, Array]:
    if frame.is_empty():
        return np.array([], dtype=np.int64), *_sums(frame, figure)
    frame = frame.sort("server_id", "at_us", maintain_order=True)
    owners, times = frame["server_id"].to_numpy().astype(np.int64), frame["at_us"].to_numpy()
    # one server after the other as one series, whose times ascend
    base, length = times.min(), times.max() - times.min() + 1
    number = np.cumsum(np.diff(owners, prepend=owners[0]) != 0)
    keys, over, under = _sums(frame.with_columns(pl.Series("at_us", number * length + times - base)), figure)
    return np.unique(owners)[keys // length], keys % length + base, over, under


def by_minute(frame: pl.DataFrame, figure: Figure) -> tuple[Times, Array]:
    """Times (n,) and values (n,) of a figure; NaN where its divisor is zero. ``frame`` has ``at_us``, ascending, and
    the figure's columns; null is not reported.
    """
    times, over, under = _sums(frame, figure)
    with np.errstate(divide="ignore", invalid="ignore"):
        return times, np.where(under > 0, over / under, np.nan)


def over_span(frame: pl.DataFrame, figure: Figure) -> float | None:
    """The figure over all rows: sum above ÷ sum below, of a level the mean of what was read; None where nothing is reported.

    Not the mean of the minutes: one slow call in a quiet minute does not weigh as much as a thousand in a busy one.
    """
    _, over, under = _sums(frame, figure)
    return float(over.sum() / under.sum()) if under.sum() > 0 else None


def _sums(frame: pl.DataFrame, figure: Figure) -> tuple[Times, Array, Array]:
    empty = np.array([], dtype=np.int64), np.array([]), np.array([])
    if frame.is_empty() or not {*figure.columns} <= {*frame.columns}:
        return empty
    over, under = (frame[c].to_numpy().astype(float) for c in figure.columns)  # null is NaN here
    if figure.kind == "level":
        under = np.ones(len(over))
    known = ~(np.isnan(over) | np.isnan(under))
    times = frame["at_us"].to_numpy()[known]
    first = np.flatnonzero(
        np.diff(times, prepend=times[:1] - 1)
    )  # ascending, so that what differs from the one before is new
    if not len(times):
        return empty
    times = times[first]
    below = _passed(under[known], first) if figure.kind == "rate" else np.add.reduceat(under[known], first)
    return times, np.add.reduceat(over[known], first), below


def _passed(spans: Array, first: Times) -> Array:
    """Seconds that passed in each minute; ``first`` are the places at which minutes begin."""
    total = np.add.reduceat(spans, first)
    return np.where(total > BESIDE_S, np.maximum.reduceat(spans, first), total)
