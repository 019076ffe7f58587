"""Pauses and orders of a worker."""

from __future__ import annotations

import random
from collections import Counter

import pytest
from scipy import stats

from hardy_gauge.load.pacing import chooser, drawer, pauser
from hardy_gauge.load.parts import ArrivalSpec

CLOSED = {"kind": "closed", "workers": 2}
SHAPES = [
    ({"think": "20 ms"}, stats.expon(scale=0.02)),
    ({"think": "10 ms", "think_kind": "uniform", "think_most": "30 ms"}, stats.uniform(0.01, 0.02)),
]


@pytest.mark.parametrize(("think", "shape"), SHAPES)
def test_pauses_have_their_distribution(think: dict[str, str], shape: stats.rv_frozen) -> None:
    arrival, draw = ArrivalSpec.model_validate(CLOSED | think).pace(), random.Random(5)
    pause = pauser(arrival, draw)
    assert pause is not None and stats.kstest([pause() for _ in range(4000)], shape.cdf).pvalue > 0.01


def test_fixed_and_no_pauses() -> None:
    fixed = ArrivalSpec.model_validate(CLOSED | {"think": "20 ms", "think_kind": "fixed"}).pace()
    pause = pauser(fixed, random.Random(1))
    assert pause is not None and {pause() for _ in range(9)} == {0.02}
    assert pauser(ArrivalSpec.model_validate(CLOSED).pace(), random.Random(1)) is None


def test_orders() -> None:
    def taken(order: str, worker: int = 1, turns: int = 6) -> list[int]:
        arrival, draw = ArrivalSpec.model_validate(CLOSED | {"order": order}).pace(), random.Random(3)
        choose = chooser(arrival, worker, [6, 3, 1], draw)
        return [choose(turn) for turn in range(turns)]

    assert taken("file") == [0, 1, 2, 0, 1, 2]
    assert set(taken("own")) == {1} and set(taken("own", worker=5)) == {2}
    counts = Counter(taken("weight", turns=5000))
    assert [counts[n] / 5000 for n in range(3)] == pytest.approx([0.6, 0.3, 0.1], abs=0.03)


def test_values_are_from_low_to_high_or_of_a_list_the_first_more_often_with_a_skew() -> None:
    draw = random.Random(4)
    ours = drawer(
        [
            {"low": -2, "high": 2, "skew": 0},
            {"values": ["a", None, 7], "skew": 0},
            {"low": 1, "high": 100, "skew": 0.5},
        ],
        draw,
    )
    rows = [ours() for _ in range(6000)]
    for place, values in ((0, [-2, -1, 0, 1, 2]), (1, ["a", None, 7])):
        counts = Counter(row[place] for row in rows)
        assert set(counts) == set(values)
        assert stats.chisquare([counts[one] for one in values]).pvalue > 0.01
    drawn = [int(row[2] or 0) for row in rows]
    assert min(drawn) == 1 and max(drawn) == 100
    # of u ** 2 the share below a quarter is a half
    assert sum(one <= 25 for one in drawn) / 6000 == pytest.approx(0.5, abs=0.03)
