"""How a worker of a closed load goes on: how long it pauses, which statement is next, and with what values."""

from __future__ import annotations

import random
from bisect import bisect
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import accumulate
from typing import Any

Drawn = int | float | str | None
Calls = Sequence[tuple[str, Sequence[int]]]  # texts of a statement or a transaction, with the places of their values


@dataclass(frozen=True)
class Pace:
    """Pauses in seconds; ``think_kind``, ``order`` and ``once`` as in a trial's arrivals."""

    think: float
    think_kind: str
    think_most: float | None
    order: str
    once: bool = False


def pauser(pace: Pace, draw: random.Random) -> Callable[[], float] | None:
    """Seconds until a worker's next execution, each time anew; None where it does not pause."""
    if pace.think_kind == "uniform":
        return partial(draw.uniform, pace.think, pace.think_most or pace.think)
    if not pace.think:
        return None
    return (lambda: pace.think) if pace.think_kind == "fixed" else partial(draw.expovariate, 1 / pace.think)


def chooser(pace: Pace, worker: int, weights: Sequence[float], draw: random.Random) -> Callable[[int], int]:
    """Number of the statement that a worker takes at its turn, from 0."""
    many = len(weights)
    if pace.order == "file":
        return lambda turn: turn % many
    if pace.order == "own" or many == 1:
        mine = worker % many
        return lambda _: mine
    bounds, drawn = list(accumulate(weights)), draw.random
    total, last = bounds[-1], many - 1
    return lambda _: bisect(bounds, drawn() * total, 0, last)


def drawer(parameters: Sequence[Mapping[str, Any]], draw: random.Random) -> Callable[[], list[Drawn]]:
    """Values of a statement, each time anew: a whole number from ``low`` to ``high``, or one of ``values``; with a ``skew`` the low or
    first ones are more frequent. Where they are drawn ``together``, all are from one place of their lists.
    """
    if parameters and parameters[0].get("together"):
        rows = list(zip(*(one["values"] for one in parameters), strict=True))
        return lambda: list(rows[int(len(rows) * draw.random())])
    each = [_one(parameter, draw) for parameter in parameters]
    if len(each) == 1:
        (one,) = each
        return lambda: [one()]
    return lambda: [one() for one in each]


def _one(parameter: Mapping[str, Any], draw: random.Random) -> Callable[[], Drawn]:
    values: Sequence[Drawn] | None = parameter.get("values")
    drawn, power = draw.random, 1 / (1 - parameter["skew"])
    low, span = (0, len(values)) if values else (parameter["low"], parameter["high"] - parameter["low"] + 1)

    def place() -> int:
        return low + int(span * drawn())

    def skewed() -> int:
        return low + int(span * drawn() ** power)

    found = place if power == 1 else skewed
    return (lambda: values[found()]) if values else found
