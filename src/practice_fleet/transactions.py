"""Transactions of applications as the stations meet them: who commits, and how long what a statement locks is kept after it."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from practice_fleet.physics.demand import Visits
from practice_fleet.physics.queueing import Array
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.work import StatementSpec


@dataclass(frozen=True)
class Transaction:
    """Statements in their order with how often each is called; ``rate`` at the top of the rhythm, for the whole cluster."""

    name: str
    steps: tuple[tuple[str, float], ...]
    pause_s: float
    rolls_back: float
    rate: float
    rhythm: str

    def not_last(self, visits: Mapping[str, Visits]) -> list[str]:
        """Its writes but the last one, which commits for all."""
        writes = [key for key, _ in self.steps if key in visits and visits[key].log_bytes > 0]
        return writes[:-1]

    def after(self, key: str) -> list[tuple[str, float]]:
        """What comes after the first call of a statement, up to the commit."""
        place = next(number for number, (one, _) in enumerate(self.steps) if one == key)
        own = max(0.0, self.steps[place][1] - 1)
        return [(key, own), *self.steps[place + 1 :]]

    @property
    def pauses_s(self) -> float:
        """Seconds in which the application does something else while the transaction is open."""
        return self.pause_s * max(0.0, sum(times for _, times in self.steps) - 1)


@dataclass(frozen=True)
class PlayedTransaction:
    """A transaction of a run by events: its statements by their places in the workload, and its weight as theirs are."""

    steps: tuple[tuple[int, float], ...]
    pause_s: float
    rolls_back: float
    weight: float


def in_workload(
    transactions: Sequence[Transaction],
    places: Mapping[str, int],
    weights: Sequence[float],
    statements: Mapping[str, StatementSpec],
) -> tuple[list[PlayedTransaction], list[float]]:
    """The transactions whose statements are all in a workload, and the weights that are left to calls outside of any.

    Of a statement's calls as many are in a transaction as in the application, but no more than its other statements allow.
    """
    left, played = list(weights), []
    for one in transactions:
        if any(key not in places for key, _ in one.steps):
            continue
        called = {key: sum(times for name, times in one.steps if name == key) for key, _ in one.steps}
        shares = {key: min(1.0, one.rate * times / statements[key].rate) for key, times in called.items()}
        weight = min(
            min(weights[places[key]] * shares[key], left[places[key]]) / times for key, times in called.items()
        )
        if weight <= 0:
            continue
        for key, times in called.items():
            left[places[key]] = max(0.0, left[places[key]] - weight * times)
        steps = tuple((places[key], times) for key, times in one.steps)
        played.append(PlayedTransaction(steps, one.pause_s, one.rolls_back, weight))
    return played, left


def transactions_of(database: DatabaseSpec, here: Collection[str]) -> list[Transaction]:
    """Those of a database whose statements are all run ``here``."""
    return [
        Transaction(name, tuple((s.statement, s.times) for s in one.steps), one.pause_s, one.rolls_back, one.rate, one.rhythm)
        for name, one in database.transactions.items()
        if all(step.statement in here for step in one.steps)
    ]  # fmt: skip


def kept_after(
    transactions: Sequence[Transaction], keys: list[str], statements: Mapping[str, StatementSpec], seconds: Array
) -> Array:
    """Seconds that what a call locks is kept after it, shape (statements, minutes), on average over its calls.

    ``seconds`` are those of one call of each statement. Calls outside of transactions keep nothing.
    """
    kept = np.zeros_like(seconds)
    number = {key: place for place, key in enumerate(keys)}
    for one in transactions:
        for key, times in one.steps:
            if key not in number:
                continue
            share = min(1.0, one.rate * times / statements[key].rate)
            later = [(number[k], n) for k, n in one.after(key) if k in number]
            rest = sum((seconds[place] * n for place, n in later), np.zeros(seconds.shape[1]))
            kept[number[key]] += share * (rest + one.pause_s * sum(n for _, n in later))
    return kept
