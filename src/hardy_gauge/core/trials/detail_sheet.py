"""The arms of a trial in detail: each statement beside its control, durations as cumulative curves, and the runs by second."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from hardy_gauge.core.trials.compare import paired_ratio
from hardy_gauge.core.trials.run_detail import bin_end


@dataclass(frozen=True)
class StatementInArm:
    """A statement of the workload in an arm, over all its runs: ``ended`` and ``failed`` executions, durations in seconds; percentiles are the
    means of those of the runs. ``ratio`` of the mean duration to the first arm's with its 95% interval over blocks (paired); None of the
    first arm, and where too few blocks have both. ``said``: better, worse, or no difference shown.
    """

    statement: int
    name: str
    arm: str
    ended: int
    failed: int
    least: float | None
    mean: float | None
    greatest: float | None
    p50: float | None
    p95: float | None
    p99: float | None
    ratio: float | None
    low: float | None
    high: float | None
    said: str


@dataclass(frozen=True)
class CumulativePoint:
    """``share`` of the executions that took at most ``s`` seconds."""

    s: float
    share: float


@dataclass(frozen=True)
class ArmInDetail:
    """``place`` among the arms of the design, from 0; ``durations`` of what the goal is about, all runs together; by second of a run from its start, as means over its runs: executions that
    ended, that failed, and seconds that those that ended took, None in a second without.
    """

    arm: str
    place: int
    durations: Sequence[CumulativePoint]
    ended: Sequence[float]
    failed: Sequence[float]
    mean_s: Sequence[float | None]


@dataclass(frozen=True)
class TrialDetail:
    """``of`` says which executions the durations are those of."""

    of: str
    statements: Sequence[StatementInArm]
    arms: Sequence[ArmInDetail]


Run = tuple[str, int, Mapping[str, Any]]  # its arm, its block, and its detail as it is stored


def trial_detail(
    design: Mapping[str, Any], runs: Sequence[tuple[str, int, Mapping[str, Any] | None]]
) -> TrialDetail | None:
    """Of the runs so far that kept their detail, attempts of a search apart; None where none did."""
    told = [(arm, block, detail) for arm, block, detail in runs if detail and block >= 0]
    if not told:
        return None
    ran = dict.fromkeys(arm for arm, _, _ in told)
    places = arm_places(design, ran)
    arms = [arm for arm in places if arm in ran]  # the first is the control, whichever ran first
    by_arm = {arm: [one for one in told if one[0] == arm] for arm in arms}
    statements = design["workload"].get("statements") or []
    rows = [
        _statement(number, _name(statements, number), arm, by_arm[arm], by_arm[arms[0]] if arm != arms[0] else None)
        for number in range(len(told[0][2]["statements"]))
        for arm in arms
    ]
    goal = (design.get("goal") or {}).get("statement")
    of = "all statements" if goal is None else f"statement {goal}, which the goal is of"
    return TrialDetail(of, rows, [_arm(arm, places[arm], [detail for _, _, detail in by_arm[arm]]) for arm in arms])


def arm_places(design: Mapping[str, Any], others: Iterable[str] = ()) -> dict[str, int]:
    """The place of each arm in the design, and after them of ``others``."""
    names = dict.fromkeys([*(one["name"] for one in design.get("arms") or []), *others])
    return {name: place for place, name in enumerate(names)}


def _name(statements: Sequence[Mapping[str, Any]], number: int) -> str:
    if number >= len(statements):
        return f"statement {number}"
    one = statements[number]
    text = one.get("name") or one.get("sql") or "; ".join(step["sql"] for step in one.get("steps", ()))
    return " ".join(str(text).split())


def _statement(number: int, name: str, arm: str, runs: Sequence[Run], control: Sequence[Run] | None) -> StatementInArm:
    figures = [detail["statements"][number] for _, _, detail in runs]
    good = [one for one in figures if one["ended"]]
    ended = sum(one["ended"] for one in good)
    mean = sum(one["ended"] * one["mean"] for one in good) / ended if ended else None
    ratio, low, high = (control and _ratio(number, runs, control)) or (None, None, None)
    p50, p95, p99 = (_mean(one[key] for one in good) for key in ("p50", "p95", "p99"))
    return StatementInArm(
        number, name, arm, ended, sum(one["failed"] for one in figures), min((one["least"] for one in good), default=None), mean,
        max((one["greatest"] for one in good), default=None), p50, p95, p99, ratio, low, high, _said(low, high),
    )  # fmt: skip


def _mean(values: Any) -> float | None:
    found = list(values)
    return float(np.mean(found)) if found else None


def _ratio(number: int, runs: Sequence[Run], control: Sequence[Run]) -> tuple[float, float, float] | None:
    def by_block(of: Sequence[Run]) -> dict[int, float]:
        return {
            block: detail["statements"][number]["mean"]
            for _, block, detail in of
            if detail["statements"][number]["ended"]
        }

    mine, theirs = by_block(runs), by_block(control)
    both = sorted(mine.keys() & theirs.keys())
    if len(both) < 2 or min(*(mine[one] for one in both), *(theirs[one] for one in both)) <= 0:
        return None
    found = paired_ratio([theirs[one] for one in both], [mine[one] for one in both])
    return found.ratio, found.low, found.high


def _said(low: float | None, high: float | None) -> str:
    if low is None or high is None:
        return ""
    return "better" if high < 1 else "worse" if low > 1 else "no difference shown"


def _arm(arm: str, place: int, details: Sequence[Mapping[str, Any]]) -> ArmInDetail:
    counts: dict[int, int] = {}
    for detail in details:
        for number, count in detail["bins"]:
            counts[number] = counts.get(number, 0) + count
    numbers = sorted(counts)
    shares = np.cumsum([counts[one] for one in numbers]) / max(sum(counts.values()), 1)
    points = [CumulativePoint(bin_end(one), float(share)) for one, share in zip(numbers, shares, strict=True)]
    if points:
        points = [CumulativePoint(bin_end(numbers[0] - 1), 0.0), *points]
    seconds = min(len(detail["ended"]) for detail in details)

    def each(key: str) -> list[float | None]:
        columns = ([detail[key][second] for detail in details] for second in range(seconds))
        return [_mean(value for value in one if value is not None) for one in columns]

    ended, failed = ([one or 0.0 for one in each(key)] for key in ("ended", "failed"))
    return ArmInDetail(arm, place, points, ended, failed, each("mean_s"))
