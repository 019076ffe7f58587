"""What is true of a column, and what the planner believes after looking at it once.

Selectivities follow the PostgreSQL documentation, "Row Estimation Examples": a list of the most common
values with their shares, and a histogram of equal-frequency bounds over the rest.
"""

from __future__ import annotations

import bisect
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from practice_fleet.planner.query import Predicate, Value
from practice_fleet.scenario.data import ColumnSpec

UNKNOWN_RANGE = 1 / 3
UNKNOWN_BETWEEN = 0.005
UNKNOWN_OTHER = 0.1
PREFIX_SHARE = 0.005


def number(value: Value) -> float | None:
    """A value on the number line, if it is one."""
    try:
        return None if value is None else float(value)
    except ValueError:
        return None


@dataclass(frozen=True)
class ColumnStatistics:
    """What the planner keeps of a column; ``bounds`` leave the common values out."""

    null_share: float
    distinct: float
    common: dict[str, float]
    bounds: tuple[float, ...]
    correlation: float = 0.0

    @property
    def rest(self) -> float:
        """Share of the rows that are neither null nor a common value."""
        return max(0.0, 1.0 - self.null_share - sum(self.common.values()))

    def equal(self, value: Value) -> float:
        """Share of the rows with this value; None is a value that is not known yet."""
        if value is None:
            return min(1.0, (1.0 - self.null_share) / max(self.distinct, 1.0))
        if str(value) in self.common:
            return self.common[str(value)]
        others = self.distinct - len(self.common)
        return self.rest / others if others >= 1 else 0.0

    def below(self, value: Value) -> float:
        """Share of the rows with a value less than ``value``."""
        at = number(value)
        if at is None or len(self.bounds) < 2:
            return UNKNOWN_RANGE
        common = sum(share for key, share in self.common.items() if (n := number(key)) is not None and n < at)
        return common + self.rest * _histogram(self.bounds, at)


def _histogram(bounds: tuple[float, ...], at: float) -> float:
    """Share of the histogram below ``at``, with values even inside a bucket."""
    if at <= bounds[0]:
        return 0.0
    if at >= bounds[-1]:
        return 1.0
    bucket = bisect.bisect_right(bounds, at) - 1
    low, high = bounds[bucket], bounds[bucket + 1]
    return float((bucket + (at - low) / max(high - low, 1e-300)) / (len(bounds) - 1))


def gather(column: ColumnSpec, detail: int) -> ColumnStatistics:
    """Look at a column: at most ``detail`` common values and ``detail`` buckets."""
    ranked = sorted(column.common.items(), key=lambda item: -item[1])[:detail]
    bounds: tuple[float, ...] = ()
    if column.distinct > len(ranked):
        bounds = tuple(np.linspace(column.low, column.top, detail + 1).tolist())
    return ColumnStatistics(column.null_share, column.distinct, dict(ranked), bounds, column.correlation)


def truth(column: ColumnSpec) -> ColumnStatistics:
    """The column as it is: every common value, and the rest even between its lowest and highest."""
    return ColumnStatistics(
        column.null_share, column.distinct, column.common, (column.low, column.top + 1e-9), column.correlation
    )


def selectivity(statistics: ColumnStatistics, predicate: Predicate) -> float:
    """Share of the rows that pass one condition."""
    if predicate.form == "null":
        return statistics.null_share
    if predicate.form == "equality":
        if predicate.excludes:
            return max(0.0, 1 - statistics.null_share - statistics.equal(predicate.equals[0]))
        return min(1.0, sum(statistics.equal(value) for value in predicate.equals))
    if predicate.form == "range":
        return _range(statistics, predicate)
    return PREFIX_SHARE if predicate.form == "prefix" else UNKNOWN_OTHER


def _range(statistics: ColumnStatistics, predicate: Predicate) -> float:
    if predicate.low is None and predicate.high is None:
        return UNKNOWN_BETWEEN if predicate.between else UNKNOWN_RANGE
    top = 1 - statistics.null_share if predicate.high is None else statistics.below(predicate.high)
    bottom = 0.0 if predicate.low is None else statistics.below(predicate.low)
    return min(1.0, max(top - bottom, 1e-9))


def conjunction(
    columns: dict[str, ColumnSpec], predicates: list[Predicate], look: Callable[[ColumnSpec], ColumnStatistics]
) -> float:
    """Share of the rows that pass all conditions, the columns taken as independent.

    Two open ranges on one column are one interval; ``look`` is ``truth`` or a ``gather``.
    """
    share = 1.0
    for predicate in merged(predicates):
        share *= selectivity(look(columns[predicate.column]), predicate)
    return share


def merged(predicates: list[Predicate]) -> list[Predicate]:
    """Ranges on the same column put together into one interval."""
    kept: list[Predicate] = []
    for predicate in predicates:
        twin = next(
            (i for i, p in enumerate(kept) if p.form == predicate.form == "range" and p.column == predicate.column),
            None,
        )
        if twin is None:
            kept.append(predicate)
        else:
            kept[twin] = kept[twin].and_also(predicate)
    return kept
