"""Waits for rows added to the times of calls, and calls cut where patience ends; by the clock."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import gammainc, gammaincc

from practice_fleet.physics.demand import Visits
from practice_fleet.physics.locks import Hold, hot_rows
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.wait_events import LOCK, OBJECT, Limits


@dataclass(frozen=True)
class RowWaits:
    """Waits for idle sessions (s, s²), and shares of calls that fail by locks or are victims of deadlocks."""

    held: Array
    held_variance: Array
    failed: Array
    victims: Array


def wait_for_rows(
    seconds: Array,
    variance: Array,
    rate: Array,
    visits: list[Visits],
    holds: Sequence[Hold | None],
    limits: Limits,
    start_s: Array,
    kept_after: Callable[[Array], Array] | None = None,
) -> RowWaits:
    """Add the waits for locked rows; ``start_s`` is when each minute begins, by which idle sessions come and go.

    ``kept_after`` gives, for the seconds of one call of each statement, those that its locks are kept after it in a transaction.
    """
    later = kept_after(seconds.sum(axis=0)) if kept_after else np.zeros_like(rate)
    found = RowWaits(*(np.zeros_like(rate) for _ in range(4)))
    for number, visit in enumerate(visits):
        if visit.hot_rows:
            kept = seconds[:LOCK, number].sum(axis=0) + later[number]
            hot = hot_rows(
                rate[number],
                kept,
                visit.hot_rows,
                visit.locked_rows,
                visit.same_order,
                limits.lock_timeout_s,
                limits.deadlock_check_s,
            )
            seconds[LOCK, number] += hot.mean
            variance[number] += np.maximum(hot.second - hot.mean**2, 0)
            found.victims[number] = hot.victims
            found.failed[number] = 1 - (1 - hot.gave_up) * (1 - hot.victims)
    for number, hold in enumerate(holds):
        if hold is not None:
            mean, second, gave_up = hold.minutes(start_s, limits.lock_timeout_s)
            seconds[OBJECT if hold.whole else LOCK, number] += mean
            found.held[number], found.held_variance[number] = mean, np.maximum(second - mean**2, 0.0)
            found.failed[number] = 1 - (1 - found.failed[number]) * (1 - gave_up)
    return found


def gamma_of(mean: Array, variance: Array) -> tuple[Array, Array]:
    """Shape and scale (s) of the gamma distribution that durations are drawn from."""
    shape = np.clip(mean**2 / np.maximum(variance, 1e-18), 0.6, 60)
    return shape, np.maximum(mean, 1e-12) / shape


def lose_patience(seconds: Array, variance: Array, rows: RowWaits, patience_s: float) -> Array:
    """Cut calls at the longest time allowed; the share of calls that fail, with those. Waits for idle sessions have
    been cut already."""
    if np.isinf(patience_s):
        return rows.failed
    mean = np.maximum(seconds.sum(axis=0) - rows.held, 1e-12)
    shape, scale = gamma_of(mean, variance)
    late = gammaincc(shape, patience_s / scale)
    kept = gammainc(shape + 1, patience_s / scale) + patience_s / mean * late
    seconds *= (mean * kept + rows.held) / (mean + rows.held)
    return np.asarray(1 - (1 - rows.failed) * (1 - late))
