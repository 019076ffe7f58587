"""The ledger over time: sums by step and entry, blank where too little was recorded, with what the sum typically is."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import polars as pl

from hardy_gauge.core.activity.ledger import over_time, time_spent
from hardy_gauge.core.activity.ledger_sheet import Stack
from hardy_gauge.core.activity.wait_families import FAMILIES
from hardy_gauge.core.reference.typical_day import typical_sum
from hardy_gauge.core.time.span import SECOND_US, Span, overlap_s
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.reference import ReferenceSpans

STEPS = 120
SMOOTHED_US = 15 * 60 * SECOND_US
MOST_SERIES = 11
# a step of which less was looked at is left blank: a look or two say little
LEAST_SEEN = 0.2


def stack_of(
    window: Window, samples: pl.DataFrame, by: str, looked: Mapping[int, list[Span]], spans: ReferenceSpans, before: pl.DataFrame,
    shortest_us: int,
) -> Stack:  # fmt: skip
    """``before`` has the rows of the reference with ``weight`` and ``span``; a step is a multiple of ``shortest_us``."""
    focus = window.focus
    step = max(shortest_us, (focus.until_us - focus.since_us) // STEPS // shortest_us * shortest_us)
    since = focus.since_us // step * step
    grid = np.arange(since, focus.until_us, step, dtype=np.int64)
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
    return Stack(grid.tolist(), step, series, _outline(window, grid, step, spans, before))


def _seen(grid: np.ndarray, step: int, looked: Mapping[int, list[Span]]) -> list[float]:
    """Of each step the part that was looked at: 1 where all servers that were looked at at all were so all the time."""
    servers = [spans for spans in looked.values() if spans]
    if not servers:
        return [0.0] * len(grid)
    length = step / SECOND_US
    parts = np.zeros(len(grid))
    for spans in servers:
        parts += [overlap_s(Span(int(at), int(at) + step), spans) / length for at in grid]
    return [float(part) for part in parts / len(servers)]


def _outline(
    window: Window, grid: np.ndarray, step: int, spans: ReferenceSpans, before: pl.DataFrame
) -> list[float | None] | None:
    """What the sum of a step typically is, from counts smoothed over a quarter of an hour, as the usual range is."""
    if not spans.known:
        return None
    place = {server.id: i for i, server in enumerate(spans.servers)}
    wide = max(1, SMOOTHED_US // step | 1) if window.reference.kind == "typical day" else 1
    counts = np.zeros((len(spans.servers), len(spans.spans), len(grid)))
    if not before.is_empty():
        starts = np.array([span.since_us for span in spans.spans])[before["span"].to_numpy()]
        slots = (before["at_us"].to_numpy() - starts + window.focus.since_us - grid[0]) // step
        inside = (slots >= 0) & (slots < len(grid))
        owners = np.array([place[i] for i in before["server_id"].to_list()], dtype=np.int64)
        at = (owners[inside], before["span"].to_numpy()[inside], slots[inside])
        np.add.at(counts, at, before["weight"].to_numpy()[inside])
    passed = (grid + step - np.maximum(grid, window.focus.since_us)).astype(float) / SECOND_US
    kernel = np.ones(min(wide, len(grid)))
    weights = np.convolve(passed, kernel, "same")
    known = np.where(np.isfinite(spans.seconds), 1.0, np.nan)
    smooth = np.apply_along_axis(lambda row: np.convolve(row, kernel, "same"), 2, counts) / weights
    typical = [typical_sum(smooth[:, :, i] * known) for i in range(len(grid))]
    return [None if one is None else one.value for one in typical]
