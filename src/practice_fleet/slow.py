"""Which executions of a block were slow, and how slow: drawn from the distributions that its minutes have."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaincc, gammainccinv

from practice_fleet.history import Block, History
from practice_fleet.physics.patience import gamma_of
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.wait_events import Limits
from practice_fleet.server import MINUTE_US

# how much of a longer time is more rows, and how much rows differ besides
BY_ROWS, AT_RANDOM = 0.7, 0.25
MOST_A_MINUTE = 6000
NEVER = -28.0  # less than one in a million million
Which = NDArray[np.int64]


@dataclass(frozen=True)
class Slow:
    """Executions: when each ended (µs), the number of its statement, how long it took (s), and its rows ÷ those of a mean call."""

    ended_us: Which
    which: Which
    lasted_s: Array
    rows: Array


def slow(history: History, block: Block, threshold_s: float) -> Slow:
    """Every execution that took at least ``threshold_s``.

    Durations are gamma-distributed; a call that meets an idle session waits for the rest of its hold besides. Calls of two kinds have
    two means. What takes longer has met more rows. Everything is drawn minute after minute, so what comes later changes nothing.
    """
    server, limits, model = history.server, Limits.of(block.state.settings), block.model
    calls = block.calls.T.astype(int)
    seen = block.seconds.sum(axis=0) / np.maximum(block.calls, 1)
    mean = np.maximum(np.where(model.held > 0, model.response - model.held, seen).T, 1e-12)
    meets = np.zeros_like(calls)
    parts = []
    for number, key in enumerate(block.keys):
        hold = block.state.holds.get(key)
        if hold is None:
            continue
        meeting, waiting = (server.draws(100 + 2 * number + n, block.first_us) for n in range(2))
        meets[:, number] = meeting.binomial(
            calls[:, number], np.minimum(1.0, hold.share(block.at_us / 1e6) * hold.of_calls)
        )
        minute = np.repeat(np.arange(block.minutes), meets[:, number])
        waits = hold.wait_s(waiting.random(minute.size), limits.lock_timeout_s)
        lasted = mean[minute, number] + waits
        kept = lasted >= threshold_s
        parts.append((minute[kept], np.full(int(kept.sum()), number), lasted[kept], np.ones(int(kept.sum()))))
    counting, lasting, spread = (server.draws(n, block.first_us) for n in (30, 31, 34))
    numbers, factors, columns = _columns(history, block, calls - meets)
    means = mean[:, numbers] * factors
    minute, column, lasted = _gamma(
        means,
        model.variance.T[:, numbers] * factors**2,
        columns,
        threshold_s,
        limits.statement_timeout_s,
        counting,
        lasting,
    )
    longer = np.clip(lasted / means[minute, column], 0.05, 20.0) ** BY_ROWS * spread.lognormal(
        0.0, AT_RANDOM, lasted.size
    )
    parts.append((minute, numbers[column], lasted, factors[column] * longer))
    minutes, which, lasted, rows = (np.concatenate(part) for part in zip(*parts, strict=True))
    order = np.argsort(minutes, kind="stable")
    minutes, which, rows = minutes[order], which[order], rows[order]
    lasted = np.minimum(lasted[order], limits.statement_timeout_s)
    ended = minutes * MINUTE_US + server.draws(32, block.first_us).integers(0, MINUTE_US, minutes.size)
    return Slow(block.first_us + ended, which, lasted, rows)


def _columns(history: History, block: Block, calls: Which) -> tuple[Which, Array, Which]:
    """The calls of each statement, those of two kinds in two columns: its number, its time ÷ the mean, and how many there are."""
    numbers, factors, counts = [], [], []
    for number, key in enumerate(block.keys):
        kinds = block.state.now.kinds.get(key)
        draws = history.server.draws(300 + number, block.first_us)
        heavy = draws.binomial(calls[:, number], kinds.share if kinds else 0.0)
        numbers.append(number)
        factors.append(1 / kinds.mean if kinds else 1.0)
        counts.append(calls[:, number] - heavy)
        if kinds:
            numbers.append(number)
            factors.append(kinds.ratio / kinds.mean)
            counts.append(heavy)
    return np.array(numbers, dtype=np.int64), np.array(factors), np.stack(counts, axis=1) if counts else calls


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
    many = counts.sum(axis=1, keepdims=True)
    if (many > MOST_A_MINUTE).any():  # the log of slow calls keeps some of them, whatever comes
        counts = counting.binomial(counts, np.minimum(1.0, MOST_A_MINUTE / np.maximum(many, 1)))
    minute, which = np.nonzero(counts)
    repeat = counts[minute, which]
    minute, which = np.repeat(minute, repeat), np.repeat(which, repeat)
    left = lasting.random(which.size) * above[minute, which]
    return minute, which, gammainccinv(shape[minute, which], left) * scale[minute, which]
