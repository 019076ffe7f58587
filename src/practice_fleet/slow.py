"""Which executions of a block were slow, and how slow: drawn from the distributions that its minutes have."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaincc, gammainccinv

from practice_fleet.history import Block, History
from practice_fleet.physics.patience import gamma_of
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.wait_events import Limits
from practice_fleet.server import MINUTE_US

NEVER = -28.0  # less than one in a million million
Which = NDArray[np.int64]


def slow(history: History, block: Block, threshold_s: float) -> tuple[Which, Which, Array]:
    """End (µs), number of the statement and duration (s) of every execution that took at least ``threshold_s``.

    Durations are gamma-distributed; a call that meets an idle session waits for the rest of its hold besides.
    Everything is drawn minute after minute, so what comes later changes nothing.
    """
    server = history.server
    limits = Limits.of(block.state.settings)
    calls = block.calls.T.astype(int)
    model = block.model
    seen = block.seconds.sum(axis=0) / np.maximum(block.calls, 1)
    mean = np.maximum(np.where(model.held > 0, model.response - model.held, seen).T, 1e-12)
    meets = np.zeros_like(calls)
    parts = []
    for number, key in enumerate(block.keys):
        hold = block.state.holds.get(key)
        if hold is None:
            continue
        meeting, waiting = (server.draws(100 + 2 * number + n, block.first_us) for n in range(2))
        meets[:, number] = meeting.binomial(calls[:, number], min(1.0, hold.lasts_s / hold.every_s))
        minute = np.repeat(np.arange(block.minutes), meets[:, number])
        waits = np.minimum(waiting.random(minute.size) * hold.lasts_s, limits.lock_timeout_s)
        lasted = mean[minute, number] + waits
        kept = lasted >= threshold_s
        parts.append((minute[kept], np.full(int(kept.sum()), number), lasted[kept]))
    longest = limits.statement_timeout_s
    counting, lasting = (server.draws(30 + n, block.first_us) for n in range(2))
    parts.append(_gamma(mean, model.variance.T, calls - meets, threshold_s, longest, counting, lasting))
    minutes, which, lasted = (np.concatenate(column) for column in zip(*parts, strict=True))
    order = np.argsort(minutes, kind="stable")
    minutes, which, lasted = minutes[order], which[order], np.minimum(lasted[order], longest)
    ended = minutes * MINUTE_US + server.draws(32, block.first_us).integers(0, MINUTE_US, minutes.size)
    return block.first_us + ended, which, lasted


def _gamma(
    mean: Array,
    variance: Array,
    calls: Which,
    threshold_s: float,
    longest_s: float,
    counting: np.random.Generator,
    lasting: np.random.Generator,
) -> tuple[Which, Which, Array]:
    shape, scale = gamma_of(mean, variance)
    scaled = threshold_s / scale
    # Chernoff's bound on the logarithm of the share above: where it is below NEVER there is none
    bound = np.where(scaled > shape, shape - scaled + shape * np.log(np.maximum(scaled / shape, 1.0)), 0.0)
    near = (bound > NEVER) & (threshold_s <= longest_s)
    if not near.any():
        none = np.zeros(0, dtype=np.int64)
        return none, none, np.zeros(0)
    above = np.zeros_like(shape)
    above[near] = gammaincc(shape[near], scaled[near])
    counts = counting.binomial(calls, above)
    minute, which = np.nonzero(counts)
    repeat = counts[minute, which]
    minute, which = np.repeat(minute, repeat), np.repeat(which, repeat)
    left = lasting.random(which.size) * above[minute, which]
    return minute, which, gammainccinv(shape[minute, which], left) * scale[minute, which]
