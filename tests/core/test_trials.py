"""Designs, warm-up, figures, and verdicts."""

from collections import Counter

import numpy as np
import polars as pl
import pytest

from hardy_gauge.core.trials.compare import Interval, Ratio, mean_interval, paired_ratio
from hardy_gauge.core.trials.design import interleave
from hardy_gauge.core.trials.figures import run_figures, warm_after
from hardy_gauge.core.trials.verdict import Goal, Guardrail, goal_state, judge, outcome, span


def test_every_block_has_every_arm_once_and_one_seed() -> None:
    runs = interleave(["control", "a", "b"], 20, seed=3)
    for block in range(20):
        mine = [r for r in runs if r.block == block]
        assert sorted(r.arm for r in mine) == ["a", "b", "control"]
        assert len({r.seed for r in mine}) == 1
    firsts = Counter(runs[i * 3].arm for i in range(20))
    assert len(firsts) > 1, "the order is drawn anew for each block"
    assert runs == interleave(["control", "a", "b"], 20, seed=3)


def executions(start: np.ndarray, duration: np.ndarray) -> pl.DataFrame:
    return pl.DataFrame({"start_s": start, "duration_s": duration, "statement": np.arange(len(start)) % 2})


def test_slow_start_is_left_out() -> None:
    start = np.arange(0, 60, 0.02)
    slow = np.where(start < 12, 0.5, 0.01)
    frame = executions(start, slow)
    warm = warm_after(frame, 60)
    assert 12 <= warm <= 17
    figures = run_figures(frame, 60, None, warm)
    assert figures["p95"] == pytest.approx(0.01)
    assert figures["throughput"] == pytest.approx(50, rel=0.01)


def test_figures_of_one_statement_and_unfinished_ones() -> None:
    frame = executions(np.array([0.0, 1.0, 2.0, 9.5]), np.array([0.1, 0.2, 0.3, 2.0]))
    assert run_figures(frame, 10, 0, 0.0)["executions"] == 2
    assert run_figures(frame, 10, 1, 0.0)["executions"] == 1, "the one that ended after the run does not count"
    assert run_figures(frame.clear(), 10, None, 0.0)["throughput"] == 0.0


def ratio(low: float, high: float) -> Ratio:
    return Ratio((low * high) ** 0.5, low, high, 0.01, 5)


def test_outcome_needs_the_whole_interval() -> None:
    assert [outcome("p95", r) for r in (ratio(0.3, 0.5), ratio(1.1, 1.4), ratio(0.8, 1.2))] == [
        "better", "worse", "no difference shown",
    ]  # fmt: skip
    assert outcome("throughput", ratio(1.1, 1.4)) == "better"


def test_verdict_words_goal_and_guardrails() -> None:
    goal = Goal("p95", 0.05)
    ratios = {"p95": ratio(0.3, 0.5), "throughput": ratio(0.7, 0.8)}
    verdict = judge(goal, Interval(0.02, 0.015, 0.025, 5), ratios, [Guardrail("throughput", 0.05)], "with index")
    assert verdict.outcome == "better" and verdict.goal_met == "met" and verdict.guardrails_broken == ["throughput"]
    assert "plainly better" in verdict.sentence and "the goal of 50.0 ms is met" in verdict.sentence
    assert goal_state(goal, Interval(0.06, 0.04, 0.08, 5)) == "open"
    assert goal_state(Goal("throughput", 100), Interval(80, 70, 90, 5)) == "not met"


def test_ratios_in_words() -> None:
    assert span(Ratio(0.31, 0.28, 0.34, 0.0, 5)) == "0.31× (0.28 to 0.34)"
    assert span(Ratio(1 / 704, 1 / 735, 1 / 676, 0.0, 5)) == "1/704 (1/735 to 1/676)"


def test_figures_that_cannot_be_compared() -> None:
    with pytest.raises(ValueError, match="each block"):
        paired_ratio([1.0, 2.0], [1.0])
    with pytest.raises(ValueError, match="above zero"):
        paired_ratio([1.0, 0.0], [1.0, 2.0])
    assert mean_interval([3.0]).low == float("-inf")
