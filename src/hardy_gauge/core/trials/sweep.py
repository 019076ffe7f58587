"""Where the sweet spot of a setting lies: the values that are not shown to be worse than the best one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from hardy_gauge.core.trials.compare import LEVEL, Ratio, paired_ratio


@dataclass(frozen=True)
class SweepPoint:
    """A value with the mean of its figure; ``to_best`` is its figure ÷ that of the best value, None of the best itself."""

    value: str
    mean: float
    to_best: Ratio | None
    as_good: bool


@dataclass(frozen=True)
class Sweep:
    """``best`` is the place of the value with the best mean; ``region`` are the values that are as good, as far as is shown."""

    points: list[SweepPoint]
    best: int
    region: list[str]


def sweep_of(values: Sequence[str], figures: Sequence[Sequence[float]], higher_is_better: bool) -> Sweep:
    """``figures`` by value, one for each block. Values are compared with the best with an interval that holds for all of them together
    (Bonferroni), so that a value is not called worse by chance alone.
    """
    means = [sum(one) / len(one) for one in figures]
    best = means.index(max(means) if higher_is_better else min(means))
    others = max(len(values) - 1, 1)
    points = []
    for value, mean, mine in zip(values, means, figures, strict=True):
        if mine is figures[best]:
            points.append(SweepPoint(value, mean, None, True))
            continue
        ratio = paired_ratio(figures[best], mine, 1 - (1 - LEVEL) / others)
        worse = ratio.high < 1 if higher_is_better else ratio.low > 1
        points.append(SweepPoint(value, mean, ratio, not worse))
    return Sweep(points, best, [one.value for one in points if one.as_good])
