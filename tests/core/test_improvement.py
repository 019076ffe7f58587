"""Before against after: the interval covers, against scipy and by simulation; verdicts; sides that are too short."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from hardy_gauge.core.diagnosis.improvement import after_before

LEAST_COVERED, MOST_COVERED = 0.90, 0.98


def test_the_interval_is_that_of_welch() -> None:
    """scipy's Welch interval of the difference, for ten minutes on each side (a batch is a minute)."""
    draw = np.random.default_rng(3)
    before, after = draw.gamma(4, 2, 10), draw.gamma(4, 1, 10)
    known = after_before(before, after)
    assert known is not None
    interval = stats.ttest_ind(after, before, equal_var=False).confidence_interval(0.95)
    assert known.low == pytest.approx(max(0.0, 1 + interval.low / before.mean()))
    assert known.high == pytest.approx(1 + interval.high / before.mean())
    assert known.ratio == pytest.approx(after.mean() / before.mean())


def test_the_interval_covers_when_minutes_depend_on_each_other() -> None:
    """Minutes of an autoregression with coefficient 0.5, an hour on each side: the truth lies inside about 95 times of 100."""
    draw, inside, rounds = np.random.default_rng(7), 0, 600
    for _ in range(rounds):
        noise = draw.normal(0, 0.1, 120)
        for at in range(1, 120):
            noise[at] += 0.5 * noise[at - 1]
        before, after = 2 + noise[:60], 1.5 + noise[60:]
        known = after_before(before, after)
        assert known is not None
        inside += known.low <= 0.75 <= known.high
    assert LEAST_COVERED < inside / rounds < MOST_COVERED, inside / rounds


@pytest.mark.parametrize(
    ("factor", "verdict"), [(0.1, "better"), (0.93, "a little better"), (1.0, "no difference shown"), (1.5, "worse")]
)
def test_verdicts(factor: float, verdict: str) -> None:
    minutes = np.resize([1.0, 1.02, 0.98, 1.01, 0.99], 30)
    known = after_before(minutes, factor * np.roll(minutes, 2))
    assert known is not None and known.verdict == verdict, known


def test_what_is_gone_has_a_ratio_of_nothing() -> None:
    known = after_before(np.array([1.0, 2.0, 1.0, 2.0, 1.0]), np.zeros(6))
    assert known is not None and (known.ratio, known.low) == (0.0, 0.0) and known.high < 0.5
    assert known.verdict == "better"


def test_too_few_minutes_or_nothing_before() -> None:
    assert after_before(np.ones(4), np.ones(20)) is None
    assert after_before(np.ones(20), np.ones(4)) is None
    assert after_before(np.zeros(20), np.ones(20)) is None
