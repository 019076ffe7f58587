"""Waits for locked rows, what patience makes of them, and deadlocks; by the clock."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike

from practice_fleet.physics.queueing import Array

MOST_BUSY = 0.98
ROUNDS = 30


@dataclass(frozen=True)
class Hold:
    """A session changes rows that a statement wants, and then does nothing: for ``lasts_s``, each ``every_s`` from ``first_s`` on
    (seconds of the epoch; None for whenever what brings it begins).

    ``behind`` names the statement whose waiting calls are what this one waits for, when the session that does
    nothing is not itself in its way; ``whole`` when it keeps a whole object and not rows; ``by`` is the key of the session, followed
    by itself, that keeps it; ``nobody`` when no session keeps it any more: then callers wait for as long as they are patient
    (``patience_s``). ``of_calls`` is the share of the statement's calls that want what is kept.
    """

    lasts_s: float
    every_s: float
    behind: str | None = None
    whole: bool = False
    first_s: float | None = None
    by: str | None = None
    nobody: bool = False
    of_calls: float = 1.0
    patience_s: float = np.inf

    def cut(self, idle_timeout_s: float) -> Hold:
        """The same where sessions that idle inside a transaction are ended after so long; 0 is never."""
        lasts = min(self.lasts_s, idle_timeout_s) if idle_timeout_s else self.lasts_s
        return replace(self, lasts_s=lasts)

    def age_s(self, at_s: ArrayLike) -> Array:
        """Seconds since the hold began that is on at each moment; negative where none is."""
        since = np.asarray(at_s, dtype=float) - (self.first_s or 0.0)
        age = since % self.every_s
        return np.asarray(np.where((since >= 0) & (age < self.lasts_s), age, -1.0))

    def share(self, start_s: ArrayLike, span_s: float = 60.0) -> Array:
        """Of each span that begins then, the part in which the session holds."""

        def before(t: Array) -> Array:
            turns = np.floor(t / self.every_s)
            return np.asarray(turns * self.lasts_s + np.minimum(t - turns * self.every_s, self.lasts_s))

        since = np.asarray(start_s, dtype=float) - (self.first_s or 0.0)
        return np.asarray((before(np.maximum(since + span_s, 0.0)) - before(np.maximum(since, 0.0))) / span_s)

    def waiting(self, age_s: ArrayLike, patience_s: float) -> Array:
        """Calls that wait when a hold is so old, for one call a second: those that came since, while their patience lasts."""
        return (
            np.asarray(np.clip(np.asarray(age_s, dtype=float), 0.0, min(patience_s, self.patience_s))) * self.of_calls
        )

    def wait_s(self, place: ArrayLike, patience_s: float) -> Array:
        """Seconds that a call waits which came at this share of what is left of the hold."""
        left = np.asarray(place, dtype=float) * self.lasts_s
        return np.asarray(np.minimum(left, min(patience_s, self.patience_s)))

    def minutes(self, start_s: ArrayLike, patience_s: float, span_s: float = 60.0) -> tuple[Array, Array, Array]:
        """Of the minutes that begin then, each for one call a second: seconds waited in it ÷ its calls, the second moment of the
        waits of calls that come in it (s²), and the share of them that give up.

        Seconds are of the minute in which they are waited, which may be later than the one in which the call came; over a whole hold
        they are the same. A call comes at any moment and waits for the rest of the hold.
        """
        patience_s = min(patience_s, self.patience_s)
        start = np.asarray(start_s, dtype=float) - (self.first_s or 0.0)
        mean, second, gave_up = (np.zeros_like(start) for _ in range(3))
        for back in range(int((span_s + self.lasts_s) // self.every_s) + 2):
            number = np.floor((start + span_s) / self.every_s) - back
            begins = number * self.every_s
            early = np.clip(start - begins, 0.0, self.lasts_s)
            late = np.clip(start + span_s - begins, 0.0, self.lasts_s)
            here = number >= 0
            mean += np.where(here, _first(late, patience_s) - _first(early, patience_s), 0.0)
            left, rest = self.lasts_s - early, self.lasts_s - late
            second += np.where(here, _second(left, patience_s) - _second(rest, patience_s), 0.0)
            gave_up += np.where(here, np.maximum(0.0, left - np.maximum(rest, patience_s)), 0.0)
        calls = span_s / self.of_calls
        return mean / calls, second / calls, gave_up / calls


def _first(seconds: Array, most: float) -> Array:
    """The integral of min(x, most) from 0 on."""
    short = np.minimum(seconds, most)
    return np.asarray(short**2 / 2 + (seconds - short) * short)


def _second(seconds: Array, most: float) -> Array:
    """The integral of its square."""
    short = np.minimum(seconds, most)
    return np.asarray(short**3 / 3 + (seconds - short) * short**2)


BUILDING = Hold(lasts_s=2.0, every_s=60.0, whole=True)  # of its table, while an index is built


@dataclass(frozen=True)
class Waits:
    """Mean and second moment of a call's wait for its rows (s, s²); shares of calls that give up or are victims."""

    mean: Array
    second: Array
    gave_up: Array
    victims: Array


def hot_rows(
    rate: ArrayLike,
    hold_s: ArrayLike,
    rows: int,
    locked: int,
    same_order: bool,
    patience_s: float,
    check_s: float = 0.0,
) -> Waits:
    """Calls that each lock ``locked`` of ``rows`` rows one after the other and keep them to the commit.

    Each row is an M/M/1 queue of what holds it. Victims: pairs of calls are counted as by J. Gray and others, "The
    dangers of replication and a solution" (SIGMOD 1996), whose chance of a deadlock grows with the calls at work, the
    fourth power of the locks and the inverse square of the rows. A call that holds j rows waits for one of N others
    that holds m, with chance m/rows; it still asks for locked − m rows, each one of the j with chance j/rows. Over
    m = 1 … locked, equally long, and j = 1 … locked − 1 that is N·locked·(locked − 1)·(locked² − 1) / (12·rows²);
    one call of each circle is given up. None when all lock in the same order.

    A circle is found when a call has waited ``check_s``; until then its two calls keep what they have, which makes others wait,
    and more circles: solved by repetition.
    """
    rate, hold_s = np.asarray(rate, dtype=float), np.asarray(hold_s, dtype=float)
    share = (locked + 1) / (2 * locked)  # of the call's time that a row is kept, on average over its rows
    stuck = np.zeros_like(rate * hold_s)  # seconds of a mean call in circles that are not found yet
    for _ in range(ROUNDS if locked > 1 and not same_order and check_s else 1):
        kept = (hold_s + stuck) * share
        busy = np.minimum(rate * locked / rows * kept, MOST_BUSY)
        wait = kept / (1 - busy)
        gave_up = busy * np.exp(-patience_s / np.maximum(wait, 1e-12))
        mean = locked * busy * wait * -np.expm1(-patience_s / np.maximum(wait, 1e-12))
        victims = np.zeros_like(busy)
        if locked > 1 and not same_order:
            at_work = rate * (hold_s + stuck + mean)
            pairs = locked * (locked - 1) * (locked**2 - 1) / 12
            victims = np.minimum(0.5, at_work * pairs / rows**2)
        stuck = (stuck + 2 * victims * check_s) / 2
    second = 2 * busy * locked * wait**2 + 2 * victims * check_s**2
    return Waits(mean + 2 * victims * check_s, second, 1 - (1 - gave_up) ** locked, victims)
