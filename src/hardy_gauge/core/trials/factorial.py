"""Effects of two to four changes tried together, and of their meeting: 2^k factorial designs with replications (Jain, *The Art of
Computer Systems Performance Analysis*, 1991, ch. 17 and 18).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from hardy_gauge.core.trials.compare import Interval, mean_interval

Levels = tuple[bool, ...]


@dataclass(frozen=True)
class Effect:
    """What having ``of`` brings, as half of the difference that it makes, in the unit of the response; ``variation`` is the share of all
    variation that it explains.
    """

    of: tuple[str, ...]
    effect: Interval
    variation: float

    @property
    def shown(self) -> bool:
        """Whether its interval leaves nothing out."""
        return self.effect.low > 0 or self.effect.high < 0

    def times(self) -> tuple[float, float, float]:
        """Of logarithms: the factor that having it makes, with its interval."""
        return math.exp(2 * self.effect.mean), math.exp(2 * self.effect.low), math.exp(2 * self.effect.high)


@dataclass(frozen=True)
class Factorial:
    """``mean`` of all responses; ``unexplained`` is the share of variation between the blocks."""

    mean: Interval
    effects: list[Effect]
    unexplained: float


def effects_of(factors: Sequence[str], blocks: Sequence[Mapping[Levels, float]]) -> Factorial:
    """Each block has one response for every combination of levels. ValueError where one is missing, or there are fewer than two factors."""
    if len(factors) < 2:
        raise ValueError("two factors or more are needed")
    cells = cells_of(len(factors))
    if not blocks or any(set(block) != set(cells) for block in blocks):
        raise ValueError("every block needs a response for every combination")
    y = np.array([[block[cell] for cell in cells] for block in blocks], float)
    signs = np.array([[1.0 if on else -1.0 for on in cell] for cell in cells])
    total = float(((y - y.mean()) ** 2).sum())
    explained, found = 0.0, []
    for size in range(1, len(factors) + 1):
        for chosen in combinations(range(len(factors)), size):
            contrast = signs[:, chosen].prod(axis=1)
            each = y @ contrast / len(cells)
            part = len(blocks) * len(cells) * float(each.mean()) ** 2
            explained += part
            found.append(
                Effect(tuple(factors[k] for k in chosen), mean_interval(each.tolist()), part / total if total else 0.0)
            )
    return Factorial(mean_interval(y.mean(axis=1).tolist()), found, max(0.0, 1 - explained / total) if total else 0.0)


def factors_of(factors: Sequence[str], figures: Sequence[Sequence[float]]) -> Factorial:
    """Effects on the logarithm, so that each is a factor whatever the others are. ``figures`` by combination, in the order of ``cells_of``,
    one for each block.
    """
    cells = cells_of(len(factors))
    return effects_of(
        factors, [dict(zip(cells, map(math.log, block), strict=True)) for block in zip(*figures, strict=True)]
    )


def cells_of(factors: int) -> list[Levels]:
    """Every combination of levels; the first factor changes fastest."""
    return [tuple(bool(number >> place & 1) for place in range(factors)) for number in range(2**factors)]
