"""How a worker of a closed load goes on: how long it pauses, and which statement is next."""

from __future__ import annotations

import random

from hardy_gauge.load.design import ArrivalSpec


def pause_s(arrival: ArrivalSpec, draw: random.Random) -> float:
    """Seconds until a worker's next execution."""
    if arrival.think_kind == "uniform":
        return draw.uniform(arrival.think, arrival.think_most or arrival.think)
    if not arrival.think:
        return 0.0
    return arrival.think if arrival.think_kind == "fixed" else draw.expovariate(1 / arrival.think)


def next_statement(arrival: ArrivalSpec, turn: int, worker: int, weights: list[float], draw: random.Random) -> int:
    """Number of the statement that a worker takes at its ``turn``, from 0."""
    if arrival.order == "file":
        return turn % len(weights)
    if arrival.order == "own":
        return worker % len(weights)
    return draw.choices(range(len(weights)), weights)[0]
