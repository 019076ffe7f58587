"""How a worker of a closed load goes on: how long it pauses, and which statement is next."""

from __future__ import annotations

import random
from dataclasses import dataclass


@dataclass(frozen=True)
class Pace:
    """Pauses in seconds; ``think_kind`` and ``order`` as in a trial's arrivals."""

    think: float
    think_kind: str
    think_most: float | None
    order: str


def pause_s(pace: Pace, draw: random.Random) -> float:
    """Seconds until a worker's next execution."""
    if pace.think_kind == "uniform":
        return draw.uniform(pace.think, pace.think_most or pace.think)
    if not pace.think:
        return 0.0
    return pace.think if pace.think_kind == "fixed" else draw.expovariate(1 / pace.think)


def next_statement(pace: Pace, turn: int, worker: int, weights: list[float], draw: random.Random) -> int:
    """Number of the statement that a worker takes at its ``turn``, from 0."""
    if pace.order == "file":
        return turn % len(weights)
    if pace.order == "own":
        return worker % len(weights)
    return draw.choices(range(len(weights)), weights)[0]
