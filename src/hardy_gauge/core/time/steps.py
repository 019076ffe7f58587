"""Series cut into steps of one length, as charts show them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from hardy_gauge.core.time.span import MINUTE_US, Span

Array = NDArray[np.float64]
Times = NDArray[np.int64]
POINTS = 360


def step_of(span: Span, points: int = POINTS) -> int:
    """Whole minutes, so that the span has about so many steps."""
    return max(1, round((span.until_us - span.since_us) / MINUTE_US / points)) * MINUTE_US


def grid_of(span: Span, step_us: int) -> Times:
    """Beginnings of the steps, the first at or before the span's."""
    return np.arange(span.since_us // step_us * step_us, span.until_us, step_us, dtype=np.int64)


def means(times: Times, values: Array, grid: Times, step_us: int) -> Array:
    """Means of a series in each step; NaN where it has no value. Times before or after the grid are left out."""
    total, count = sums(times, values, grid, step_us), sums(times, np.ones(len(values)), grid, step_us)
    with np.errstate(invalid="ignore"):
        return np.where(count > 0, total / count, np.nan)


def means_of_many(
    ids: Times, owners: Times, times: Times, values: Array, grid: Times, step_us: int
) -> Array:  # fmt: skip
    """As ``means``, a row for each of ``ids``; ``owners`` says whose each value is."""
    order = np.argsort(ids)
    rows = order[np.searchsorted(ids, owners, sorter=order)]
    places = (times - grid[0]) // step_us if len(grid) else times
    inside = (places >= 0) & (places < len(grid))
    at, size = (rows * len(grid) + places)[inside], len(ids) * len(grid)
    total = np.bincount(at, weights=values[inside], minlength=size)
    count = np.bincount(at, minlength=size)
    with np.errstate(invalid="ignore"):
        return np.where(count > 0, total / count, np.nan).reshape(len(ids), len(grid))


def sums(times: Times, values: Array, grid: Times, step_us: int) -> Array:
    """Sums of a series in each step; 0 where it has no value."""
    if not len(grid):
        return np.zeros(0)
    place = (times - grid[0]) // step_us
    inside = (place >= 0) & (place < len(grid))
    return np.bincount(place[inside], weights=values[inside], minlength=len(grid)).astype(np.float64)


def finite(values: Array) -> list[float | None]:
    """As a list, None for what is not known."""
    return [float(value) if np.isfinite(value) else None for value in values]
