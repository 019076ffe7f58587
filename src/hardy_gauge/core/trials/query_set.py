"""A set of statements, each alone: the time of every one, in all, and their geometric mean, which a change of one by some factor moves
alike whichever it is (P. J. Fleming and J. J. Wallace, "How not to lie with statistics", 1986).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl
from scipy.special import stdtrit

from hardy_gauge.core.trials.compare import LEVEL, Ratio, paired_ratio


@dataclass(frozen=True)
class QueryRun:
    """A statement by its number from 0, in one run; ``seconds`` is None where its turn did not come before the run's end."""

    statement: int
    seconds: float | None
    failed: bool


@dataclass(frozen=True)
class QueryTime:
    """A statement over all runs of an arm: the median of the runs in which it did not fail, None where there is none. ``to_first`` is its
    time ÷ that of the first arm.
    """

    statement: int
    seconds: float | None
    least: float | None
    most: float | None
    runs: int
    failed: int
    to_first: Ratio | None


@dataclass(frozen=True)
class QuerySet:
    """Of one arm. ``total_s`` and ``geometric_s`` are of the medians of those that ran, ``missing`` statements have none."""

    arm: str
    queries: list[QueryTime]
    total_s: float
    geometric_s: float | None
    missing: int
    total_to_first: Ratio | None


def query_runs(executions: pl.DataFrame, statements: int) -> list[QueryRun]:
    """The first execution of every statement of a run."""
    first = (
        executions.sort("start_s").group_by("statement", maintain_order=True).first() if len(executions) else executions
    )
    found = {row["statement"]: row for row in first.iter_rows(named=True)}
    return [
        QueryRun(number, row["duration_s"], bool(row.get("failed", False)))
        if (row := found.get(number)) is not None
        else QueryRun(number, None, False)
        for number in range(statements)
    ]


def geometric_mean(values: Sequence[float]) -> float | None:
    """exp of the mean of logarithms; None without a value above zero."""
    known = np.asarray([one for one in values if one > 0])
    return float(np.exp(np.log(known).mean())) if len(known) else None


def query_sets(arms: Sequence[str], runs: Sequence[Sequence[Sequence[QueryRun]]]) -> list[QuerySet]:
    """``runs`` by arm and block. Arms are compared by the blocks in which a statement did not fail in either."""
    times = [[_times(blocks, number) for number in range(len(blocks[0]) if blocks else 0)] for blocks in runs]
    found = []
    for arm, mine in zip(arms, times, strict=True):
        queries = [
            _query(number, one, times[0][number] if mine is not times[0] else None) for number, one in enumerate(mine)
        ]
        medians = [one.seconds for one in queries if one.seconds is not None]
        totals = [_total(mine, block) for block in range(len(mine[0]) if mine else 0)]
        first = [_total(times[0], block) for block in range(len(totals))]
        found.append(
            QuerySet(
                arm, queries, sum(medians), geometric_mean(medians), len(queries) - len(medians),
                _ratio(first, totals) if mine is not times[0] else None,
            )
        )  # fmt: skip
    return found


def _times(blocks: Sequence[Sequence[QueryRun]], number: int) -> list[float | None]:
    """Of one statement, by block; negative where it failed, None where its turn did not come."""
    return [-1.0 if (one := block[number]).failed else one.seconds for block in blocks]


def _query(number: int, mine: Sequence[float | None], first: Sequence[float | None] | None) -> QueryTime:
    good = [one for one in mine if one is not None and one >= 0]
    return QueryTime(
        number, float(np.median(good)) if good else None, min(good, default=None), max(good, default=None), len(good),
        sum(one is not None and one < 0 for one in mine), _ratio(first, mine) if first is not None else None,
    )  # fmt: skip


def _total(times: Sequence[Sequence[float | None]], block: int) -> float | None:
    """None where one of them failed or is missing, for the total is then of fewer."""
    found = [one[block] for one in times]
    return sum(found) if all(one is not None and one >= 0 for one in found) else None  # type: ignore[arg-type]


def _ratio(first: Sequence[float | None], mine: Sequence[float | None]) -> Ratio | None:
    pairs = [(a, b) for a, b in zip(first, mine, strict=True) if a is not None and b is not None and a > 0 and b > 0]
    return paired_ratio([a for a, _ in pairs], [b for _, b in pairs]) if len(pairs) > 1 else None


@dataclass(frozen=True)
class Against:
    """A statement of this run against the same text of an earlier one: its time ÷ the earlier, with a 95% interval; None where either has
    fewer than two runs that did not fail. ``statement`` is None of all together, by their geometric mean.
    """

    statement: int | None
    ratio: float | None
    low: float | None
    high: float | None


def against_earlier(
    texts: Sequence[str], runs: Sequence[Sequence[QueryRun]], earlier_texts: Sequence[str], earlier: Sequence[Sequence[QueryRun]]
) -> list[Against]:  # fmt: skip
    """All together first, then every statement whose text is in both. The runs were not made beside each other, so the interval is Welch's,
    of logarithms, and what changed on the machine between them is in the ratio.
    """
    places = {text: number for number, text in enumerate(earlier_texts)}
    pairs = [(number, places[text]) for number, text in enumerate(texts) if text in places]
    found = []
    for number, other in pairs:
        now, then = (
            [t for t in _times(blocks, at) if t is not None and t > 0]
            for blocks, at in ((runs, number), (earlier, other))
        )
        found.append(Against(number, *_welch(then, now)))
    means = [
        [_geometric(block, numbers) for block in blocks]
        for blocks, numbers in ((earlier, [o for _, o in pairs]), (runs, [n for n, _ in pairs]))
    ]
    whole = [[one for one in side if one is not None] for side in means]
    return [Against(None, *_welch(whole[0], whole[1])), *found]


def _geometric(block: Sequence[QueryRun], numbers: Sequence[int]) -> float | None:
    """Of one run; None where one of its statements failed or is missing."""
    times = [block[number].seconds for number in numbers if not block[number].failed]
    known = [one for one in times if one is not None]
    return geometric_mean(known) if known and len(known) == len(numbers) else None


def _welch(first: Sequence[float], second: Sequence[float]) -> tuple[float | None, float | None, float | None]:
    """Ratio of geometric means, second ÷ first, with the interval of B. L. Welch (1947) for unequal variances."""
    if len(first) < 2 or len(second) < 2:
        return None, None, None
    a, b = np.log(first), np.log(second)
    parts = [side.var(ddof=1) / len(side) for side in (a, b)]
    spread, mean = sum(parts), float(b.mean() - a.mean())
    if spread == 0:
        return math.exp(mean), math.exp(mean), math.exp(mean)
    freedom = spread**2 / sum(part**2 / (len(side) - 1) for part, side in zip(parts, (a, b), strict=True))
    half = float(stdtrit(freedom, 0.5 + LEVEL / 2)) * math.sqrt(spread)
    return math.exp(mean), math.exp(mean - half), math.exp(mean + half)
