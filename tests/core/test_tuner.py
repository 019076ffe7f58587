"""The search for settings: the Branin function (three minima of 0.397887; checks.md), noise, choices, guardrails, and taking up again."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from scipy.stats import ttest_ind

from hardy_gauge.core.trials.query_set import QueryRun, against_earlier, geometric_mean, query_sets
from hardy_gauge.core.trials.steps import stages_of
from hardy_gauge.core.trials.tuner import (
    Choice,
    Measured,
    Range,
    Settings,
    Tried,
    best_of,
    first_points,
    judged,
    ratio_noise,
    suggest,
)

PLANE = [Range("x", -5, 10, whole=False), Range("y", 0, 15, whole=False)]


def branin(x: float, y: float) -> float:
    waves = 10 * (1 - 1 / (8 * math.pi)) * math.cos(x)
    return (y - 5.1 / (4 * math.pi**2) * x * x + 5 / math.pi * x - 6) ** 2 + waves + 10


def searched(
    space: list[Range | Choice], figure: Callable[[Settings], float], runs: int, seed: int, noise: float = 0.0
) -> list[Tried]:
    tried: list[Tried] = []
    for _ in range(runs):
        settings = suggest(space, tried, seed, noise).settings
        tried.append(Tried(settings, figure(settings)))
    return tried


def test_branin_is_found_in_thirty_runs() -> None:
    """To 0.1 of the minimum; thirty random points come to 2.5 on average."""
    assert branin(math.pi, 2.275) == pytest.approx(0.397887, abs=1e-6)
    for seed in range(3):
        tried = searched(PLANE, lambda one: math.exp(-branin(one["x"], one["y"]) / 50), 30, seed)
        assert min(branin(one.settings["x"], one.settings["y"]) for one in tried) < 0.5, seed


def test_with_noise_and_a_choice_the_best_is_near_the_truth() -> None:
    """A setting by its logarithm with its best at 2^20, and a choice of which one is a third worse; 5% of noise."""
    space = [Range("bytes", 2**10, 2**30, log=True), Choice("method", ("a", "b", "c"))]
    draw = np.random.default_rng(5)

    def truth(one: Settings) -> float:
        return math.exp(-((math.log2(one["bytes"]) - 20) ** 2) / 50) * {"a": 1.0, "b": 0.67, "c": 0.9}[one["method"]]

    tried = searched(space, lambda one: truth(one) * math.exp(0.05 * draw.standard_normal()), 20, 2, 0.05)
    found = best_of(space, tried, 0.05)
    assert found is not None and truth(found[0].settings) > 0.9 and found[0].settings["method"] == "a"
    assert found[1] == pytest.approx(truth(found[0].settings), rel=0.1), "the expected figure is not the luckiest run"


def test_what_broke_a_guardrail_is_never_the_best() -> None:
    space = [Range("x", 0, 1, whole=False)]
    tried = [Tried({"x": 0.1}, 1.0), Tried({"x": 0.5}, 9.0, kept=False), Tried({"x": 0.9}, 1.2), Tried({"x": 0.7}, 1.1)]
    found = best_of(space, tried)
    assert found is not None and found[0].settings["x"] in (0.1, 0.7, 0.9)
    assert best_of(space, [Tried({"x": 0.5}, 9.0, kept=False)]) is None
    nxt = suggest(space, tried, 1)
    assert (
        nxt.low is not None
        and nxt.expected is not None
        and nxt.high is not None
        and nxt.low <= nxt.expected <= nxt.high
    )


def test_ranges_write_their_values() -> None:
    memory = Range("work_mem", 64, 65536, log=True, unit="kB")
    assert (memory.value(0), memory.value(1)) == ("64kB", "65536kB")
    assert memory.places("2048kB") == [pytest.approx(0.5)]
    assert [Choice("j", ("on", "off")).value(place) for place in (0.0, 0.49, 0.5, 1.0)] == ["on", "on", "off", "off"]
    points = first_points([memory, Choice("j", ("on", "off"))], 4, 1)
    assert len({one["work_mem"] for one in points}) == 4 and {one["j"] for one in points} == {"on", "off"}
    assert ratio_noise([1.0, 1.0]) == 0.0
    assert ratio_noise([1.0, math.e, 1.0, math.e]) == pytest.approx(math.sqrt(2) * np.std([0, 1, 0, 1], ddof=1))


def test_geometric_mean_and_sets_of_queries() -> None:
    """Fleming and Wallace 1986 (from memory): the geometric mean of 2 and 8 is 4; normalising by any arm leaves ratios as they are."""
    assert geometric_mean([2.0, 8.0]) == pytest.approx(4.0) and geometric_mean([0.0]) is None
    run = [[QueryRun(0, 1.0, False), QueryRun(1, 4.0, False)], [QueryRun(0, 1.0, False), QueryRun(1, 4.2, False)]]
    twice = [[QueryRun(one.statement, 2 * (one.seconds or 0), False) for one in block] for block in run]
    first, second = query_sets(["a", "b"], [run, twice])
    assert first.total_s == pytest.approx(5.1) and first.geometric_s == pytest.approx(math.sqrt(4.1))
    assert second.total_to_first is not None and second.total_to_first.ratio == pytest.approx(2.0)
    assert [one.to_first.ratio for one in second.queries if one.to_first] == pytest.approx([2.0, 2.0])
    broken = [[QueryRun(0, 0.1, True), QueryRun(1, None, False)], [QueryRun(0, 1.0, False), QueryRun(1, 4.0, False)]]
    (found,) = query_sets(["a"], [broken])
    assert (found.queries[0].failed, found.queries[0].runs, found.queries[1].runs) == (1, 1, 1)
    _, late = query_sets(["a", "b"], [run, broken])
    assert late.total_to_first is None, "one block in which all ran is no comparison"


def test_stages_name_what_limits() -> None:
    waits = [{"data read": 0.9, "processor": 0.1}, {"processor": 0.8, "log write": 0.2}, {}]
    found = stages_of(["start", "index", "nothing"], [[10, 11, 9], [100, 108, 93], [101, 107, 93]], waits, "throughput")
    assert [(one.limit, round(one.limit_share, 1), one.said) for one in found] == [
        ("data read", 0.9, ""),
        ("processor", 0.8, "better"),
        (None, 0.0, "no difference shown"),
    ]


def test_against_an_earlier_run_as_scipy_has_it() -> None:
    """Welch's interval of the difference of logarithms, by ``scipy.stats.ttest_ind`` without equal variances."""
    draw = np.random.default_rng(4)
    then, now = (np.exp(draw.normal(mean, spread, (5, 2))) for mean, spread in ((0.0, 0.1), (0.5, 0.3)))
    runs = [[[QueryRun(q, float(row[q]), False) for q in range(2)] for row in side] for side in (now, then)]
    found = against_earlier(["a", "b"], runs[0], ["b", "x"], runs[1])
    assert [one.statement for one in found] == [None, 1], "by the text, whatever its number was"
    truth = ttest_ind(np.log(now[:, 1]), np.log(then[:, 0]), equal_var=False).confidence_interval(0.95)
    assert (found[1].low, found[1].high) == (pytest.approx(math.exp(truth.low)), pytest.approx(math.exp(truth.high)))
    assert found[0].ratio == pytest.approx(found[1].ratio), "only one of them is in both"
    assert against_earlier(["a"], [runs[0][0][:1]], ["a"], [runs[1][0][:1]])[1].ratio is None, (
        "one run of each tells nothing"
    )


def test_an_attempt_is_judged_by_its_goal_and_its_guardrails() -> None:
    goal, steady = Measured(200.0, 100.0, True), Measured(0.11, 0.10, False)
    assert judged({}, goal, [(steady, 0.10)], True) == Tried({}, 2.0, True), "a tenth worse is what was let"
    assert not judged({}, goal, [(steady, 0.09)], True).kept
    assert judged({}, Measured(0.05, 0.10, False), [], True).ratio == 2.0, "of durations the shorter is better"
    for unknown in (Measured(None, 100.0, True), Measured(200.0, 0.0, True)):
        assert judged({}, unknown, [], True) == Tried({}, 0.0, False)
        assert not judged({}, goal, [(unknown, 1.0)], True).kept
    assert judged({}, goal, [], False) == Tried({}, 0.0, False), "it did not run"
