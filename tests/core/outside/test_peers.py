"""Distances among peers against scipy and the rule they come from."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import median_abs_deviation

from hardy_gauge.core.reference.peers import FEWEST, UNLIKE, distances, modified_z, slowest, uneven


@given(st.lists(st.floats(-1e6, 1e6), min_size=3, max_size=30))
def test_modified_z_is_scipys_median_and_mad(values: list[float]) -> None:
    """Reference: scipy.stats.median_abs_deviation; formula of Iglewicz and Hoaglin 1993, eq. for M_i."""
    x = np.array(values)
    mad = float(median_abs_deviation(x))
    expected = 0.6745 * (x - np.median(x)) / mad if mad else np.zeros(len(x))
    assert modified_z(x) == pytest.approx(expected)


def test_the_worked_example_of_a_gross_error() -> None:
    """Iglewicz and Hoaglin's kind of case, values made here: one reading ten times its neighbours is beyond 3.5, none of
    the others is; the plain z-score misses it, since no value of n can be beyond (n − 1)/√n (Shiffler 1988).
    """
    x = np.array([2.1, 2.6, 2.4, 2.5, 2.3, 21.0, 2.2])
    assert [i for i, z in enumerate(modified_z(x)) if abs(z) > UNLIKE] == [5]
    plain = (x - x.mean()) / x.std(ddof=1)
    assert abs(plain).max() < (len(x) - 1) / len(x) ** 0.5 < UNLIKE


def test_the_odd_one_is_found_in_the_figure_in_which_it_is_odd() -> None:
    found = distances({"load": [1.0, 1.05, 0.97, 1.01], "time": [0.002, 0.0021, 0.009, 0.0019]}, {})
    assert found[2] is not None and found[2].unlike and found[2].figure == "time"
    assert found[2].times == pytest.approx(0.009 / 0.00205)
    assert not any(one.unlike for i, one in enumerate(found) if i != 2 and one)


def test_a_trifle_among_peers_that_agree_closely_is_no_difference() -> None:
    found = distances({"load": [1.0, 1.0, 1.0, 1.2]}, {})
    assert found[3] is not None and not found[3].unlike


def test_next_to_nothing_is_alike_however_many_times_it_is() -> None:
    found = distances({"load": [0.001, 0.001, 0.001, 0.01]}, {"load": 0.05})
    assert found[3] is not None and not found[3].unlike


def test_of_two_nobody_knows_which_is_odd() -> None:
    assert distances({"load": [1.0, 9.0]}, {}) == [None, None]
    assert distances({"load": [1.0, 9.0, None, None]}, {}) == [None] * 4
    assert FEWEST == 3


@given(st.integers(2, 8), st.integers(50, 5000))
def test_chance_alone_is_hardly_ever_uneven(servers: int, mean: int) -> None:
    """Poisson counts of equal means: four standard deviations and a quarter above the mean at once."""
    draw = np.random.default_rng(mean * 10 + servers)
    called = sum(uneven([float(x) for x in draw.poisson(mean, servers)]) is not None for _ in range(50))
    assert called <= 1


def test_who_does_more_than_its_part() -> None:
    assert uneven([1000, 1010, 2000, 990]) == (2, 0.4)
    assert uneven([3, 1, 1]) is None and uneven([0, 0]) is None and uneven([5]) is None


def test_the_slowest_is_named_from_a_quarter_more_on() -> None:
    assert slowest([1.0, 1.1, 1.3, None]) is None, "of the two others the median is 1.05"
    assert slowest([1.0, 1.1, 2.1, None]) == (2, pytest.approx(2.0))
    assert slowest([0.5, None]) is None and slowest([]) is None
    assert slowest([1.0, 1.5]) == (1, 1.5)
