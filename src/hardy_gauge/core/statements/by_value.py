"""What a statement costs by the value it is called with, and with which plan.

Which of the values matters is told by a one-way analysis of variance of the logarithm of the times (Montgomery, Design and Analysis of
Experiments, ch. 3), its explained part corrected for chance (Kelley's epsilon squared, 1935). The interval of a median is that of order
statistics (Conover, Practical Nonparametric Statistics, 3.2).
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import bdtr, bdtrik, fdtrc

from hardy_gauge.core.narrative.by_value import by_value_sentence
from hardy_gauge.core.sql.literals import literals

LEAST_CALLS = 5
LEAST_EXECUTIONS = 12
SIGNIFICANT = 0.01
MOST_ROWS = 20
OTHER = "other values"


@dataclass(frozen=True)
class Timed:
    """An execution: its text, without its values or None where they were not kept."""

    text: str | None
    duration_s: float
    plan_key: str | None


@dataclass(frozen=True)
class ValueRow:
    """``plan_key`` is None where the server does not tell it; ``low_s`` to ``high_s`` the interval of the median, None of fewer than six."""

    value: str
    plan_key: str | None
    calls: int
    median_s: float
    low_s: float | None
    high_s: float | None
    share: float


@dataclass(frozen=True)
class ByValue:
    """``before`` is what stands before the value in the text; ``explained`` the part of the spread of the times that the value explains,
    None where no value is shown to matter, and ``rows`` are empty then. Values with few calls stand together.
    """

    sentence: str
    before: str
    explained: float | None
    executions: int
    rows: list[ValueRow]


def by_value(executions: Sequence[Timed]) -> ByValue:
    """Of those texts that have as many values as most of them have."""
    read = [(values, one) for one in executions if one.text is not None and (values := literals(one.text)) is not None]
    counts = [len(found) for found, _ in read]
    usual = max(set(counts), key=counts.count) if counts else 0
    mine = [(found, one) for found, one in read if len(found) == usual]
    if usual == 0 or len(mine) < LEAST_EXECUTIONS:
        return ByValue(by_value_sentence(len(executions), len(read), usual), "", None, len(mine), [])
    logs = np.log([max(one.duration_s, 1e-9) for _, one in mine])
    best, part = -1, 0.0
    for place in range(usual):
        found = _explained(logs, [values[place].value for values, _ in mine], usual)
        if found > part:
            best, part = place, found
    if best < 0:
        return ByValue(by_value_sentence(len(executions), len(read), usual, none=True), "", None, len(mine), [])
    rows = _rows([(values[best].value, one) for values, one in mine])
    before = mine[0][0][best].before
    sentence = by_value_sentence(
        len(executions), len(read), usual, before=before, explained=part,
        slow=(rows[0].value, rows[0].median_s), quick=(rows[-1].value, rows[-1].median_s),
    )  # fmt: skip
    return ByValue(sentence, before, part, len(mine), rows)


def _explained(logs: np.ndarray, values: Sequence[str], tried: int) -> float:
    """The part of the spread that the values explain; 0 where that may be chance, ``tried`` places being looked at."""
    groups: dict[str, list[float]] = defaultdict(list)
    for value, log in zip(values, logs, strict=True):
        groups[value].append(float(log))
    kept = [one for one in groups.values() if len(one) >= LEAST_CALLS]
    rest = [log for one in groups.values() if len(one) < LEAST_CALLS for log in one]
    kept += [rest] if len(rest) >= LEAST_CALLS else []
    if len(kept) < 2:
        return 0.0
    every = np.concatenate(kept)
    within, whole = sum(float(np.var(one)) * len(one) for one in kept), float(np.var(every)) * len(every)
    if whole <= 0:
        return 0.0
    freely, apart = len(every) - len(kept), len(kept) - 1
    # analysis of variance (Fisher 1925, chapter VII)
    if within > 0 and float(fdtrc(apart, freely, (whole - within) / apart / (within / freely))) * tried > SIGNIFICANT:
        return 0.0
    return max(0.0, 1 - within / freely / (whole / (len(every) - 1)))


def _rows(executions: Sequence[tuple[str, Timed]]) -> list[ValueRow]:
    """The slowest median first."""
    counts: dict[str, int] = defaultdict(int)
    for value, _ in executions:
        counts[value] += 1
    groups: dict[tuple[str, str | None], list[float]] = defaultdict(list)
    for value, one in executions:
        groups[value if counts[value] >= LEAST_CALLS else OTHER, one.plan_key].append(one.duration_s)
    whole = sum(map(sum, groups.values()))
    rows = []
    for (value, plan_key), times in groups.items():
        low, high = median_interval(times)
        rows.append(ValueRow(value, plan_key, len(times), float(np.median(times)), low, high, sum(times) / whole))
    most = sorted(rows, key=lambda row: -row.share)[:MOST_ROWS]
    return sorted(most, key=lambda row: -row.median_s)


def median_interval(values: Sequence[float], level: float = 0.95) -> tuple[float | None, float | None]:
    """The interval of a median between two of the values themselves, at least as sure as ``level``; None of fewer than six values."""
    ordered, count = sorted(values), len(values)
    below = math.ceil(bdtrik((1 - level) / 2, count, 0.5)) if count else 0
    while below > 0 and 2 * bdtr(below - 1, count, 0.5) > 1 - level:
        below -= 1
    if below < 1:
        return None, None
    return ordered[below - 1], ordered[count - below]
