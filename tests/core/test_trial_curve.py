"""The curve of a sweep or a scaling trial: means with intervals against scipy, the fitted curve, and runs that are still to come."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from hardy_gauge.core.trials.curve import kind_curve
from hardy_gauge.core.trials.scalability import throughput

ARMS = [{"name": "work_mem = 1MB"}, {"name": "work_mem = 8MB"}, {"name": "work_mem = 64MB"}]
SWEEP = {
    "kind": "sweep",
    "goal": {"metric": "mean"},
    "sweep": {"setting": "work_mem", "values": ["1MB", "8MB", "64MB"]},
    "arms": ARMS,
}
RUNS = [
    (arm["name"], {"mean": value * (1 + block / 50)})
    for block in range(4)
    for arm, value in zip(ARMS, (3.0, 1.0, 1.1), strict=True)
]


def test_a_sweep_in_the_order_of_its_values() -> None:
    points = [{"value": "1MB", "as_good": False}, {"value": "8MB", "as_good": True}, {"value": "64MB", "as_good": True}]
    curve = kind_curve(SWEEP, {"kind": "sweep", "sweep": {"points": points}}, RUNS)
    assert curve is not None and (curve.x, curve.y, curve.unit) == ("work_mem", "mean", "s")
    assert [(one.name, one.x, one.good) for one in curve.points] == [
        ("1MB", 0, False),
        ("8MB", 1, True),
        ("64MB", 2, True),
    ]
    first = [figures["mean"] for arm, figures in RUNS if arm == ARMS[0]["name"]]
    low, high = stats.t.interval(0.95, 3, np.mean(first), stats.sem(first))
    assert list(curve.points[0].runs) == first
    assert (curve.points[0].low, curve.points[0].high) == (pytest.approx(low), pytest.approx(high))
    assert not curve.fitted and curve.turn is None


def test_runs_so_far() -> None:
    curve = kind_curve(SWEEP, None, RUNS[:4])
    assert curve is not None and [len(one.runs) for one in curve.points] == [2, 1, 1]
    assert curve.points[1].low is None and curve.points[1].good is None
    assert kind_curve(SWEEP, None, []) is None
    assert kind_curve(SWEEP, None, [(ARMS[0]["name"], {"mean": float("nan")})]) is None
    assert kind_curve({"kind": "compare", "goal": {"metric": "mean"}}, None, RUNS) is None


def test_a_scaling_trial_with_its_fitted_curve() -> None:
    """The published example of the curve (Gunther, "Guerrilla Capacity Planning", 2007): contention 0.02773, coherency 0.0001044."""
    workers = [1, 18, 36, 72, 108, 144, 216]
    design = {
        "kind": "scaling",
        "goal": {"metric": "throughput"},
        "workers": workers,
        "arms": [{"name": f"{n} workers"} for n in workers],
    }
    rates = throughput(np.array(workers, float), 20.0, 0.02773, 0.0001044)
    runs = [(f"{n} workers", {"throughput": float(rate)}) for n, rate in zip(workers, rates, strict=True)]
    fit = {
        name: {"value": value, "low": value, "high": value}
        for name, value in (("one", 20.0), ("contention", 0.02773), ("coherency", 0.0001044))
    }
    curve = kind_curve(
        design, {"kind": "scaling", "scaling": {**fit, "peak": {"value": 96.5, "low": 90.0, "high": None}}}, runs
    )
    assert curve is not None and [one.x for one in curve.points] == workers
    best = max(curve.fitted, key=lambda one: one.y)
    assert (
        best.x == pytest.approx(96.5, abs=4)
        and curve.turn is not None
        and curve.turn.value == 96.5
        and curve.turn.high is None
    )
    assert {(one.x, round(one.y, 6)) for one in (curve.fitted[0], curve.fitted[-1])} == {
        (1.0, 20.0),
        (216.0, round(float(rates[-1]), 6)),
    }
    assert kind_curve(design, None, runs).fitted == []  # type: ignore[union-attr]


def test_steps_in_their_order() -> None:
    names = ["start", "more memory", "index"]
    design = {"kind": "steps", "goal": {"metric": "throughput"}, "arms": [{"name": name} for name in names]}
    stages = [{"name": "start", "said": ""}, {"name": "more memory", "said": "no difference shown"}, {"name": "index", "said": "better"}]  # fmt: skip
    runs = [(name, {"throughput": rate}) for rate in (10.0, 12.0) for name in names]
    curve = kind_curve(design, {"kind": "steps", "steps": {"stages": stages}}, runs)
    assert curve is not None and curve.x == "steps, one after the other" and not curve.fitted
    assert [(one.name, one.x, one.mean, one.good) for one in curve.points] == [
        ("start", 0, 11, False), ("more memory", 1, 11, False), ("index", 2, 11, True),
    ]  # fmt: skip


def test_a_search_with_the_best_so_far() -> None:
    """What broke a guardrail, or did not run, is never the best; controls and the proof at the end are no attempts."""
    design = {"kind": "tuner", "goal": {"metric": "p95"}, "arms": [{"name": "control"}]}
    figures = {"attempt 1": 5.0, "attempt 2": 2.0, "attempt 4": 4.0, "attempt 5": 3.0}
    runs = [("control", {"p95": 9.0}), *((arm, {"p95": value}) for arm, value in figures.items()), ("best", {"p95": 3.0})]  # fmt: skip
    tried = [{"kept": True, "expected": None}, {"kept": False, "expected": None}, {"kept": False, "expected": 1.0}, {"kept": True, "expected": 2.0}, {"kept": True, "expected": 2.0}]  # fmt: skip
    curve = kind_curve(design, {"kind": "tuner", "tuner": {"tried": [{"kept": True}, *tried]}}, runs)
    assert curve is not None and [(one.name, one.mean, one.good) for one in curve.points] == [
        ("1", 5, None), ("2", 2, False), ("4", 4, None), ("5", 3, None),
    ]  # fmt: skip
    assert [(one.x, one.y) for one in curve.fitted] == [(1, 5), (2, 5), (4, 4), (5, 3)]
    begun = kind_curve(design, None, runs[:2])
    assert begun is not None and begun.points[0].good is None and [one.y for one in begun.fitted] == [5]
