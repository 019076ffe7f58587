"""Sessions are looked at once in every second, at moments that are spread over it."""

from __future__ import annotations

from random import Random

import numpy as np

from hardy_gauge.capture.look_moments import LookMoments


def looks(seconds: int, seed: int = 7) -> np.ndarray:
    moments, now, found = LookMoments(Random(seed)), 0.0, []
    for _ in range(seconds):
        now += moments.wait_s(now)
        found.append(now)
    return np.array(found)


def test_one_look_in_every_second_and_never_two_close_together() -> None:
    at = looks(20_000)
    assert (np.floor(at) == np.arange(1, 20_001)).all()
    assert np.diff(at).min() > 0.84


def test_moments_are_spread_evenly() -> None:
    """Each tenth of the stretch has about a tenth of the looks."""
    shares = np.histogram(looks(200_000) % 1.0, bins=10, range=(0.02, 0.95))[0] / 200_000
    assert (np.abs(shares - 0.1) < 0.015).all()


def test_work_with_a_rhythm_of_a_second_is_seen_in_its_true_share() -> None:
    """Work that is done in the first three tenths of each second: looks at one fixed moment see all of it or none."""
    seen = np.mean([np.mean(looks(3_600, seed) % 1.0 < 0.3) for seed in range(10)])
    assert abs(seen - 0.3) < 0.03
