"""Pauses and orders of a worker."""

from __future__ import annotations

import random
from collections import Counter

import pytest
from scipy import stats

from hardy_gauge.load.design import ArrivalSpec
from hardy_gauge.load.pacing import next_statement, pause_s

CLOSED = {"kind": "closed", "workers": 2}
SHAPES = [
    ({"think": "20 ms"}, stats.expon(scale=0.02)),
    ({"think": "10 ms", "think_kind": "uniform", "think_most": "30 ms"}, stats.uniform(0.01, 0.02)),
]


@pytest.mark.parametrize(("think", "shape"), SHAPES)
def test_pauses_have_their_distribution(think: dict[str, str], shape: stats.rv_frozen) -> None:
    arrival, draw = ArrivalSpec.model_validate(CLOSED | think).pace(), random.Random(5)
    assert stats.kstest([pause_s(arrival, draw) for _ in range(4000)], shape.cdf).pvalue > 0.01


def test_fixed_and_no_pauses() -> None:
    fixed = ArrivalSpec.model_validate(CLOSED | {"think": "20 ms", "think_kind": "fixed"}).pace()
    assert {pause_s(fixed, random.Random(n)) for n in range(9)} == {0.02}
    assert pause_s(ArrivalSpec.model_validate(CLOSED).pace(), random.Random(1)) == 0


def test_orders() -> None:
    def taken(order: str, worker: int = 1, turns: int = 6) -> list[int]:
        arrival, draw = ArrivalSpec.model_validate(CLOSED | {"order": order}).pace(), random.Random(3)
        return [next_statement(arrival, turn, worker, [6, 3, 1], draw) for turn in range(turns)]

    assert taken("file") == [0, 1, 2, 0, 1, 2]
    assert set(taken("own")) == {1} and set(taken("own", worker=5)) == {2}
    counts = Counter(taken("weight", turns=5000))
    assert [counts[n] / 5000 for n in range(3)] == pytest.approx([0.6, 0.3, 0.1], abs=0.03)
