"""Looking again and again: false alarms stay where they were, and a plain difference ends the trial early."""

from __future__ import annotations

import numpy as np
import pytest

from hardy_gauge.core.trials.sequential import height, level_of, look_at


def run(draw: np.random.Generator, effect: float, most: int, skewed: bool = False) -> tuple[str, int, bool]:
    """One trial with a look after each block: why it ended, after how many, and whether every interval held the truth."""
    control, candidate, held = list[float](), list[float](), True
    for _ in range(most):
        noise = draw.standard_normal(2) if not skewed else (draw.exponential(1.0, 2) - 1.0)
        control.append(float(np.exp(0.1 * noise[0])))
        candidate.append(float(np.exp(effect + 0.1 * noise[1])))
        found = look_at(control, candidate, most, 0.0)
        if found is None:
            continue
        held = held and found.low <= np.exp(effect) <= found.high
        if found.answer:
            return found.answer, found.blocks, held
    raise AssertionError("it did not end")


@pytest.mark.parametrize("skewed", [False, True])
def test_false_alarms_of_2000_null_trials(skewed: bool) -> None:
    draw = np.random.default_rng(8)
    ended = [run(draw, 0.0, 12, skewed) for _ in range(2000)]
    alarms = sum(why == "a difference is shown" for why, _, _ in ended)
    assert alarms <= 0.05 * 2000 * 1.25, alarms  # 5% and two standard deviations of the count
    assert sum(held for _, _, held in ended) >= 0.93 * 2000


def test_a_plain_difference_ends_it_early_and_a_small_one_is_found_late() -> None:
    draw = np.random.default_rng(9)
    plain = [run(draw, 0.6, 12) for _ in range(200)]
    assert (
        all(why == "a difference is shown" for why, _, _ in plain) and np.mean([blocks for _, blocks, _ in plain]) < 9
    )
    small = [run(draw, 0.1, 12) for _ in range(200)]
    assert 0.3 < np.mean([why == "a difference is shown" for why, _, _ in small]) < 1.0


def test_it_ends_where_it_is_precise_enough() -> None:
    same = look_at([1.0, 1.001, 0.999, 1.0], [1.0, 1.0, 1.001, 0.999], 12, 0.5)
    assert same is not None and same.answer == "as precise as was asked for" and same.low < 1 < same.high
    assert look_at([1.0, 1.0], [2.0, 2.1], 12, 0.05) is None


def test_the_boundary_is_near_the_published_one() -> None:
    """For many looks the height nears that of a path that is looked at all the time, 2.24; at the last look the level is nearly the usual."""
    assert height(12) == pytest.approx(2.15, abs=0.12) and height(30) == pytest.approx(2.2, abs=0.12)
    assert level_of(3, 12) > 0.9999 and 0.95 < level_of(12, 12) < 0.98
