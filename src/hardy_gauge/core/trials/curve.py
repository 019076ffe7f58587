"""The curve of a sweep, a scaling trial, steps or a search: every run, the mean of each place with its interval, and the curve along them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.special import stdtrit

from hardy_gauge.core.trials.figures import UNITS
from hardy_gauge.core.trials.scalability import Bounds, throughput
from hardy_gauge.core.trials.verdict import higher_is_better

FITTED_POINTS = 60
LEVEL = 0.95


@dataclass(frozen=True)
class CurvePoint:
    """``x`` is its place on the axis; ``low`` and ``high`` the 95% interval of the mean (Student's t over blocks), None of one run. ``good``: as
    good as the best, as far as is shown, or a step that helped; False of an attempt that broke a guardrail; None where it was not judged.
    """

    name: str
    x: float
    mean: float
    low: float | None
    high: float | None
    runs: Sequence[float]
    good: bool | None


@dataclass(frozen=True)
class FittedPoint:
    """A point of a fitted curve."""

    x: float
    y: float


@dataclass(frozen=True)
class KindCurve:
    """``x`` and ``y`` are what the axes show: places are numbers of workers, or values, steps or attempts in their order. ``fitted`` is the curve
    that was fitted, of a search the best so far; empty where there is none. ``turn`` is where it turns. ``named``: places are names beside each
    other and no numbers; ``joined``: what lies between two of them means something.
    """

    x: str
    y: str
    unit: str
    points: Sequence[CurvePoint]
    fitted: Sequence[FittedPoint]
    turn: Bounds | None
    named: bool
    joined: bool


def kind_curve(
    design: Mapping[str, Any], result: Mapping[str, Any] | None, runs: Sequence[tuple[str, Mapping[str, float]]]
) -> KindCurve | None:
    """Of the runs so far, each with its arm and its figures; None of another kind, and before the first run."""
    kind, metric = design.get("kind"), str(design["goal"]["metric"])
    by_arm: dict[str, list[float]] = {}
    for arm, figures in runs:
        if np.isfinite(figures.get(metric, np.nan)):
            by_arm.setdefault(arm, []).append(figures[metric])
    of_kind = (result or {}).get(str(kind)) or {}
    places = PLACES[kind](design, of_kind, list(by_arm)) if kind in PLACES else []
    points = [
        curve_point(one.name, one.x, by_arm[one.arm], one.good) for one in places if one.arm in by_arm
    ]  # fmt: skip
    if not points:
        return None
    fitted, turn = list[FittedPoint](), None
    if kind == "scaling" and metric == "throughput":
        fitted, turn = _fit(of_kind, [one.x for one in points])
    elif kind == "tuner":
        fitted = _best_so_far(points, higher_is_better(metric))
    x = design["sweep"]["setting"] if kind == "sweep" else X_OF[str(kind)]
    return KindCurve(
        x, metric, UNITS[metric], points, fitted, turn, kind in ("sweep", "steps"), kind in ("sweep", "scaling")
    )


@dataclass(frozen=True)
class _Place:
    """Where on the axis the runs of an arm are shown."""

    name: str
    x: float
    arm: str
    good: bool | None = None


def _values(design: Mapping[str, Any], found: Mapping[str, Any], _: Sequence[str]) -> list[_Place]:
    judged = {one["value"]: one["as_good"] for one in found.get("points", ())}
    pairs = zip(design["sweep"]["values"], design.get("arms", ()), strict=False)
    return [_Place(str(value), float(at), arm["name"], judged.get(str(value))) for at, (value, arm) in enumerate(pairs)]


def _workers(design: Mapping[str, Any], _: Mapping[str, Any], __: Sequence[str]) -> list[_Place]:
    pairs = zip(design["workers"], design.get("arms", ()), strict=False)
    return [_Place(str(value), float(value), arm["name"]) for value, arm in pairs]


def _steps(design: Mapping[str, Any], found: Mapping[str, Any], _: Sequence[str]) -> list[_Place]:
    helped = {one["name"]: one["said"] == "better" for one in found.get("stages", ())}
    names = [arm["name"] for arm in design.get("arms", ())]
    return [_Place(name, float(at), name, helped.get(name)) for at, name in enumerate(names)]


def _attempts(_: Mapping[str, Any], found: Mapping[str, Any], ran: Sequence[str]) -> list[_Place]:
    """Those that ran, by their numbers; what was known from before is no run of this trial."""
    broke = [not one["kept"] for one in found.get("tried", ()) if "expected" in one]
    numbers = [int(name.removeprefix(ATTEMPT)) for name in ran if name.startswith(ATTEMPT)]
    return [
        _Place(
            str(number),
            float(number),
            f"{ATTEMPT}{number}",
            False if number <= len(broke) and broke[number - 1] else None,
        )
        for number in sorted(numbers)
    ]


ATTEMPT = "attempt "  # how the arms of a search are called
PLACES = {"sweep": _values, "scaling": _workers, "steps": _steps, "tuner": _attempts}
X_OF = {"scaling": "workers", "steps": "steps, one after the other", "tuner": "attempts, one after the other"}


def _best_so_far(points: Sequence[CurvePoint], higher: bool) -> list[FittedPoint]:
    """Of those that kept the guardrails, as far as is known."""
    means = np.asarray([one.mean if one.good is not False else np.nan for one in points])
    best = (np.fmax if higher else np.fmin).accumulate(means)
    return [FittedPoint(one.x, float(y)) for one, y in zip(points, best, strict=True) if np.isfinite(y)]


def curve_point(name: str, x: float, runs: Sequence[float], good: bool | None) -> CurvePoint:
    """The mean of runs at a place, with its interval."""
    mean = float(np.mean(runs))
    if len(runs) < 2:
        return CurvePoint(name, x, mean, None, None, list(runs), good)
    half = float(stdtrit(len(runs) - 1, (1 + LEVEL) / 2) * np.std(runs, ddof=1) / np.sqrt(len(runs)))
    return CurvePoint(name, x, mean, max(mean - half, 0.0), mean + half, list(runs), good)


def _fit(found: Mapping[str, Any], places: Sequence[float]) -> tuple[list[FittedPoint], Bounds | None]:
    if not {"one", "contention", "coherency"} <= {*found}:
        return [], None
    one, contention, coherency = (float(found[name]["value"]) for name in ("one", "contention", "coherency"))
    grid = np.linspace(min(places), max(places), FITTED_POINTS)
    rates = throughput(grid, one, contention, coherency)
    turns = found.get("peak")
    turn = None if turns is None else Bounds(float(turns["value"]), float(turns["low"]), turns["high"])
    return [FittedPoint(float(x), float(y)) for x, y in zip(grid, rates, strict=True)], turn
