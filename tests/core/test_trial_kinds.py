"""Kinds of trial against published results, and in simulation where the truth is known."""

from __future__ import annotations

import numpy as np
import pytest

from hardy_gauge.core.trials.compare import paired_ratio
from hardy_gauge.core.trials.factorial import effects_of
from hardy_gauge.core.trials.noise import noise_of
from hardy_gauge.core.trials.scalability import fitted, peak_of, scalability, throughput
from hardy_gauge.core.trials.sweep import sweep_of

# SPEC SDM91 as used with the law (Gunther, from memory)
LOAD = [1, 18, 36, 72, 108, 144, 216]
RATES = [64.9, 995.9, 1652.4, 1853.2, 1828.9, 1775.0, 1702.2]


def test_the_published_fit_of_scalability() -> None:
    one, contention, coherency = fitted(LOAD, RATES)
    assert contention == pytest.approx(0.02773, rel=0.01) and coherency == pytest.approx(0.0001044, rel=0.01)
    assert peak_of(contention, coherency) == pytest.approx(96.5, rel=0.01) and one > 60
    with pytest.raises(ValueError, match="three"):
        fitted([1, 1, 2], [1, 1, 2])


def test_intervals_of_scalability_hold_the_truth() -> None:
    """Simulated: five blocks with 3% of noise, a hundred times."""
    draw, loads, inside = np.random.default_rng(3), np.array([1.0, 2, 4, 8, 16, 32]), 0
    truth = throughput(loads, 100, 0.05, 0.002)
    for number in range(100):
        blocks = truth * np.exp(0.03 * draw.standard_normal((5, len(loads))))
        found = scalability(loads.tolist(), blocks.tolist(), number)
        assert found.peak is not None
        inside += found.peak.low <= np.sqrt(0.95 / 0.002) <= (found.peak.high or np.inf)
    assert inside >= 80, "percentiles of a bootstrap of five blocks are somewhat narrow"
    line = scalability([1, 2, 4, 8], [[10, 20, 40, 80], [10.1, 20, 40.2, 80]])
    assert (line.peak is None or line.peak.high is None) and line.contention.value < 0.01


def test_jains_factorial_example() -> None:
    """Jain 1991, ch. 17 (from memory): 15, 45, 25, 75 give a mean of 40, effects of 20 and 10, an interaction of 5; 76%, 19%, 5%."""
    block = {(False, False): 15.0, (True, False): 45.0, (False, True): 25.0, (True, True): 75.0}
    found = effects_of(["memory", "cache"], [block])
    assert found.mean.mean == 40
    assert [(one.of, one.effect.mean) for one in found.effects] == [
        (("memory",), 20),
        (("cache",), 10),
        (("memory", "cache"), 5),
    ]
    assert [round(100 * one.variation) for one in found.effects] == [76, 19, 5] and found.unexplained == pytest.approx(
        0, abs=1e-9
    )


def test_three_factors_with_replications_and_what_is_missing() -> None:
    draw = np.random.default_rng(2)
    cells = [(a, b, c) for a in (False, True) for b in (False, True) for c in (False, True)]
    blocks = [
        {cell: 50 + 8 * cell[0] - 3 * cell[1] + 4 * cell[0] * cell[1] + draw.normal(0, 0.5) for cell in cells}
        for _ in range(6)
    ]
    found = {one.of: one for one in effects_of(["a", "b", "c"], blocks).effects}
    assert found[("a",)].effect.low < 5 < found[("a",)].effect.high and found[("a",)].shown  # 8/2 + 4/4
    assert found[("a", "b")].effect.low < 1 < found[("a", "b")].effect.high and found[("a", "b")].shown
    assert not found[("a", "b", "c")].shown or abs(found[("a", "b", "c")].effect.mean) < 0.5
    assert sum(one.variation for one in found.values()) < 1
    with pytest.raises(ValueError, match="every combination"):
        effects_of(["a", "b"], [{(False, False): 1.0}])
    with pytest.raises(ValueError, match="two factors"):
        effects_of(["a"], [{(False,): 1.0, (True,): 2.0}])


def test_the_smallest_difference_is_shown_four_times_out_of_five() -> None:
    draw, spread, blocks = np.random.default_rng(4), 0.05, 6
    ratios = np.exp(
        spread * np.sqrt(5 / 6) * np.array([1.0, -1, 1, -1, 1, -1])
    )  # whose logarithms have just that spread
    smallest = noise_of([1.0] * blocks, ratios.tolist()).smallest
    assert smallest is not None
    shown = 0
    for _ in range(2000):
        logs = np.log(smallest) + spread * draw.standard_normal(blocks)
        found = paired_ratio([1.0] * blocks, np.exp(logs).tolist())
        shown += found.low > 1
    assert 0.72 <= shown / 2000 <= 0.88
    assert noise_of([1.0], [1.1]).smallest is None


def test_a_sweep_finds_its_region_and_calls_nothing_worse_by_chance() -> None:
    draw, wrong = np.random.default_rng(6), 0
    for _ in range(300):
        figures = [(100 * np.exp(0.05 * draw.standard_normal(6))).tolist() for _ in range(5)]
        swept = sweep_of(list("abcde"), figures, True)
        wrong += len(swept.region) < 5
        assert all(one.as_good == (one.to_best is None or one.to_best.high >= 1) for one in swept.points), (
            "as its interval shows"
        )
    assert wrong <= 0.16 * 300, "the best is chosen after looking, which a few false alarms come from"
    curve = [(level * np.exp(0.02 * draw.standard_normal(6))).tolist() for level in (40, 80, 100, 100, 70)]
    found = sweep_of(["64kB", "1MB", "4MB", "16MB", "1GB"], curve, True)
    assert (
        found.region == ["4MB", "16MB"] and found.points[0].to_best is not None and found.points[0].to_best.high < 0.5
    )
    least = sweep_of(["a", "b"], [[1.0, 1.1, 1.0], [2.0, 2.1, 2.2]], False)
    assert least.best == 0 and least.region == ["a"]
