"""The ledger over time: sums by step and entry, blank where too little was recorded, with what the sum typically is."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import polars as pl

from hardy_gauge.core.activity.ledger import over_time, time_spent
from hardy_gauge.core.activity.ledger_sheet import Stack
from hardy_gauge.core.activity.wait_families import FAMILIES
from hardy_gauge.core.reference.typical_day import typical_sum
from hardy_gauge.core.time.span import SECOND_US, Span, merged
from hardy_gauge.queries.reference import ReferenceSpans

STEPS = 120
SMOOTHED_US = 15 * 60 * SECOND_US
MOST_SERIES = 11
# a step of which less was looked at is left blank: a look or two say little
LEAST_SEEN = 0.2


def grid_of(focus: Span, shortest_us: int) -> tuple[np.ndarray, int]:
    """Where steps begin, and how long each is: a multiple of ``shortest_us``."""
    step = max(shortest_us, (focus.until_us - focus.since_us) // STEPS // shortest_us * shortest_us)
    return np.arange(focus.since_us // step * step, focus.until_us, step, dtype=np.int64), step


def stack_of(
    focus: Span, samples: pl.DataFrame, by: str, looked: Mapping[int, list[Span]], outline: list[float | None] | None, outlined: Span,
    shortest_us: int,
) -> Stack:  # fmt: skip
    """``outline`` is of the steps of the span ``outlined``, which is as long as the focus and begins less than a minute before it."""
    grid, step = grid_of(focus, shortest_us)
    since = int(grid[0])
    seen = _seen(grid, step, looked)
    frame = over_time(samples, by, since, focus.until_us, step)
    most = samples.group_by(by).agg(time_spent(samples).alias("s")).sort("s", descending=True)
    top = most[by].to_list()[:MOST_SERIES]
    if by == "wait_family":
        top = [family for family in FAMILIES if family in set(top)]
    series: dict[str, list[float | None]] = {}
    for key in top:
        mine = dict(frame.filter(pl.col(by) == key).select("at_us", "active_sessions").iter_rows())
        series[key] = [
            mine.get(at, 0.0) / part if part >= LEAST_SEEN else None
            for at, part in zip(grid.tolist(), seen, strict=True)
        ]
    if outline is not None:
        later = (since - int(grid_of(outlined, shortest_us)[0][0])) // step
        outline = [outline[min(place + later, len(outline) - 1)] for place in range(len(grid))]
    return Stack(grid.tolist(), step, series, outline)


def _seen(grid: np.ndarray, step: int, looked: Mapping[int, list[Span]]) -> list[float]:
    """Of each step the part that was looked at: 1 where all servers that were looked at at all were so all the time."""
    servers = [spans for spans in looked.values() if spans]
    if not servers:
        return [0.0] * len(grid)
    parts = np.zeros(len(grid))
    for spans in servers:
        for span in merged(spans):
            parts += np.clip(np.minimum(grid + step, span.until_us) - np.maximum(grid, span.since_us), 0, step)
    return [float(part) for part in parts / step / len(servers)]


def outline_of(spans: ReferenceSpans, before: pl.DataFrame, shortest_us: int) -> list[float | None] | None:
    """What the sum of a step typically is, from counts smoothed over a quarter of an hour, as the usual range is. ``before`` has the
    rows of the reference with ``weight`` and ``span``.
    """
    if not spans.known:
        return None
    window = spans.window
    grid, step = grid_of(window.focus, shortest_us)
    place = {server.id: i for i, server in enumerate(spans.servers)}
    wide = max(1, SMOOTHED_US // step | 1) if window.reference.kind == "typical day" else 1
    counts = np.zeros((len(spans.servers), len(spans.spans), len(grid)))
    if not before.is_empty():
        starts = np.array([span.since_us for span in spans.spans])[before["span"].to_numpy()]
        slots = (before["at_us"].to_numpy() - starts + window.focus.since_us - grid[0]) // step
        inside = (slots >= 0) & (slots < len(grid))
        places = np.zeros(max(place) + 1, dtype=np.int64)
        places[list(place)] = list(place.values())
        owners = places[before["server_id"].to_numpy()]
        at = np.ravel_multi_index((owners[inside], before["span"].to_numpy()[inside], slots[inside]), counts.shape)
        weights = before["weight"].to_numpy()[inside]
        counts += np.bincount(at, weights, minlength=counts.size).reshape(counts.shape)
    passed = (grid + step - np.maximum(grid, window.focus.since_us)).astype(float) / SECOND_US
    kernel = np.ones(min(wide, len(grid)))
    weights = np.convolve(passed, kernel, "same")
    known = np.where(np.isfinite(spans.seconds), 1.0, np.nan)
    smooth = np.apply_along_axis(lambda row: np.convolve(row, kernel, "same"), 2, counts) / weights
    typical = [typical_sum(smooth[:, :, i] * known) for i in range(len(grid))]
    return [None if one is None else one.value for one in typical]
