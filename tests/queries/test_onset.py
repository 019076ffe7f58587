"""When a series changed its level: known by construction."""

from __future__ import annotations

import numpy as np
import pytest

from hardy_gauge.queries.onset import began_at

RANDOM = np.random.default_rng(5)


@pytest.mark.parametrize("at", [20, 90, 160])
@pytest.mark.parametrize("after", [0.4, 1.6, 5.0])
def test_a_step_is_found_where_it_is(at: int, after: float) -> None:
    values = np.concatenate([np.full(at, 10.0), np.full(180 - at, 10.0 * after)]) * RANDOM.normal(1, 0.05, 180)
    assert abs((began_at(values) or 0) - at) <= 2


def test_what_was_nothing_began_with_its_first_value() -> None:
    values = np.zeros(180)
    values[130:] = np.arange(1, 51) * 2e6  # a ramp
    assert began_at(values) == 130


def test_noise_has_no_beginning() -> None:
    assert began_at(10 * RANDOM.normal(1, 0.03, 180)) is None and began_at(np.ones(6)) is None
