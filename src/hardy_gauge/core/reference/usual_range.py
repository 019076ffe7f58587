"""Usual range: the band in which a figure normally lies at this time of this day.

Minute figures are smoothed over a quarter of an hour and collected by quarter hour of the week, each with the quarter
before and after it: a job that starts or ends at a fixed time makes an edge, and near the edge both levels are usual.
The centre is the median; the band is the 5% to 95% quantile, widened to at least ±15% of the centre so that a very
steady figure is not called unusual for a trifle. Where the time of week was seen in fewer than three weeks, the same
time on other days of the same kind (weekday or weekend) is taken too.

Stretches of known trouble are left out, so that the band after a bad week is not as wide as the trouble was high.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, WEEK_US, Span, is_weekend

Array = NDArray[np.float64]
MONDAY_US = 4 * DAY_US  # 1970-01-05 was a Monday
SMOOTH_MINUTES = 15
QUARTER_US = HOUR_US // 4
QUARTERS = 672
OF_DAY = 96
FEWEST_WEEKS = 3
FEWEST_VALUES = 30
LEAST_WIDTH = 0.15
# a stretch this many times the centre, or this part of it, for half an hour or more is a trouble and not a habit
TROUBLED_RATIO = 2.0
UNUSUAL = ("above usual", "below usual")
TROUBLED_MINUTES = 30
MOST_EXCLUDED = 1 / 3


@dataclass(frozen=True)
class UsualRange:
    """Arrays of 672 quarter hours of the week (Monday 00:00 UTC first): low, centre, high; NaN where nothing is known."""

    low: Array
    centre: Array
    high: Array
    weeks: float

    def at(self, times_us: NDArray[np.int64]) -> tuple[Array, Array, Array]:
        """Low, centre, high at each time."""
        low, centre, high = _interpolated(np.stack([self.low, self.centre, self.high]), times_us)
        return low, centre, high


def mean_bounds(ranges: Sequence[UsualRange], times_us: NDArray[np.int64]) -> Array:
    """Means of low, centre and high of each range over some moments, of those at which it is known: shape (ranges, 3); NaN where it
    is known at none.
    """
    if not ranges:
        return np.empty((0, 3))
    found = _interpolated(np.stack([(one.low, one.centre, one.high) for one in ranges]), times_us)
    known = np.isfinite(found)
    count = known.sum(axis=-1)
    return np.where(count > 0, np.where(known, found, 0.0).sum(axis=-1) / np.maximum(count, 1), np.nan)


def _interpolated(bounds: Array, times_us: NDArray[np.int64]) -> Array:
    """Values by quarter hour of the week (last axis) at each time, interpolated between the middles of the quarter hours."""
    place = (np.asarray(times_us) - MONDAY_US) % WEEK_US / QUARTER_US - 0.5
    left = np.floor(place).astype(int) % QUARTERS
    part = place - np.floor(place)
    right = (left + 1) % QUARTERS
    return np.asarray(bounds[..., left] * (1 - part) + bounds[..., right] * part)


def usual_range(times_us: NDArray[np.int64], values: Array, troubles: Sequence[Span] = ()) -> UsualRange:
    """The usual range of minute figures; ``times_us`` ascending, both of shape (n,). Minutes in ``troubles`` are left
    out.
    """
    times, smooth = np.asarray(times_us), smoothed(np.asarray(values, dtype=float))
    kept = ~_inside(times, troubles)
    span = float(times[-1] - times[0]) if len(times) else 0.0
    return _ranges(times[kept], smooth[kept], span)


def troubled_spans(times_us: NDArray[np.int64], values: Array, least: float) -> list[Span]:
    """Stretches in which a figure was out of all habit: twice its centre or more, or half of it or less, and by
    ``least`` in its own unit, for half an hour or longer.

    What comes at a time of the week in a third of the weeks or more is a habit, since then the quantiles hold it.
    """
    times, smooth = np.asarray(times_us), smoothed(np.asarray(values, dtype=float))
    if not len(times):
        return []
    _, centre, _ = _ranges(times, smooth, float(times[-1] - times[0])).at(times)
    known = np.isfinite(centre) & (np.abs(smooth - centre) > least)
    far = known & ((smooth > TROUBLED_RATIO * centre) | (smooth < centre / TROUBLED_RATIO))
    far &= ~_habitual(times, far)
    edges = np.flatnonzero(np.diff(np.concatenate(([0], far.astype(np.int8), [0]))))
    stretches = [
        Span(int(times[a]), int(times[b - 1]) + MINUTE_US) for a, b in zip(edges[::2], edges[1::2], strict=True)
    ]
    return [span for span in stretches if span.seconds >= TROUBLED_MINUTES * 60]


def ready_us(since_us: int, at_us: int) -> int:
    """When a usual range for this time of day stands, at the earliest, recorded without a gap since ``since_us``: the
    same time on the next day of the same kind.
    """
    weekend, day = is_weekend(at_us), max(since_us, at_us)
    for _ in range(8):
        day += DAY_US
        if is_weekend(day) == weekend:
            break
    return day


def _habitual(times: NDArray[np.int64], far: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Whether a third of the minutes at this time of the week are as far off, of those on at least three weeks."""
    place = ((times - MONDAY_US) % WEEK_US // HOUR_US).astype(int)
    count = np.bincount(place, minlength=168)
    share = np.bincount(place, weights=far, minlength=168) / np.maximum(count, 1)
    return np.asarray((share > MOST_EXCLUDED)[place])


def _inside(times: NDArray[np.int64], spans: Sequence[Span]) -> NDArray[np.bool_]:
    found = np.zeros(len(times), dtype=bool)
    for span in spans:
        found |= (times >= span.since_us) & (times < span.until_us)
    return found


def _ranges(times_us: NDArray[np.int64], smooth: Array, span_us: float) -> UsualRange:
    quarter = ((times_us - MONDAY_US) % WEEK_US // QUARTER_US).astype(int)
    counts = np.bincount(quarter, minlength=QUARTERS)
    order = np.argsort(quarter, kind="stable")
    mine = quarter[order]
    rows = np.full((QUARTERS, max(1, int(counts.max()))), np.inf)  # what is beyond the values ranks last
    rows[mine, np.arange(len(mine)) - (np.cumsum(counts) - counts)[mine]] = smooth[order]
    around = np.concatenate([np.roll(rows, 1, axis=0), rows, np.roll(rows, -1, axis=0)], axis=1)
    known = np.roll(counts, 1) + counts + np.roll(counts, -1)
    bands = np.full((3, QUARTERS), np.nan)
    few = known < FEWEST_WEEKS * 41
    bands[:, ~few] = _bands(around[~few], known[~few])
    for days in (slice(0, 5), slice(5, 7)):
        here = few.reshape(7, OF_DAY)[days]
        if here.any():
            alike = around.reshape(7, OF_DAY, -1)[days].transpose(1, 0, 2).reshape(OF_DAY, -1)
            found = _bands(alike, known.reshape(7, OF_DAY)[days].sum(axis=0))
            of_days = bands.reshape(3, 7, OF_DAY)[:, days]
            np.copyto(of_days, found[:, None, :], where=here)
    low, centre, high = bands
    low = np.minimum(low, centre * (1 - LEAST_WIDTH))
    high = np.maximum(high, centre * (1 + LEAST_WIDTH))
    return UsualRange(low, centre, high, span_us / WEEK_US)


def _bands(rows: Array, known: NDArray[np.int64]) -> Array:
    """5%, 50% and 95% quantiles of the first ``known`` values in each row when ranked, between neighbours by their distance: shape
    (3, rows); NaN where there are too few.
    """
    ranked = np.sort(rows, axis=1)
    at = np.array([[0.05], [0.5], [0.95]]) * np.maximum(known - 1, 0)
    below = at.astype(int)
    above = np.minimum(below + 1, np.maximum(known - 1, 0))
    each = np.arange(len(rows))
    first, second = ranked[each, below], ranked[each, above]
    with np.errstate(invalid="ignore"):
        found = first + (at - below) * (second - first)
    return np.where(known >= FEWEST_VALUES, found, np.nan)


def smoothed(values: Array) -> Array:
    """Means over a quarter of an hour around each minute; the same where there are fewer."""
    if len(values) < SMOOTH_MINUTES:
        return values
    total = np.cumsum(np.insert(values, 0, 0.0))
    middle = (total[SMOOTH_MINUTES:] - total[:-SMOOTH_MINUTES]) / SMOOTH_MINUTES
    return np.pad(middle, (SMOOTH_MINUTES // 2, SMOOTH_MINUTES - 1 - SMOOTH_MINUTES // 2), mode="edge")


def word(value: float, low: float, high: float) -> str:
    """The word beside a gauge."""
    if not np.isfinite(low) or not np.isfinite(high):
        return "no usual range yet"
    if value > high:
        return UNUSUAL[0]
    return UNUSUAL[1] if value < low else "usual"
