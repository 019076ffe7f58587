"""Counter differences: work told from resets, restarts and clock steps."""

import pytest

from hardy_gauge.core.activity.counters import AGAIN, FELL, FIRST, Difference, Reading, Unusable, difference, growth


def reading(at_s: float, started: int = 0, **values: float) -> Reading:
    return Reading(int(at_s * 1e6), started, values)


def test_difference_and_span() -> None:
    done = difference(reading(10, calls=100, time_s=5.0), reading(70, calls=160, time_s=8.0))
    assert done == Difference(10_000_000, 60.0, {"calls": 60.0, "time_s": 3.0})


def test_a_counter_not_seen_before_counts_from_zero() -> None:
    done = difference(reading(0, calls=1), reading(60, calls=2, errors=3))
    assert isinstance(done, Difference)
    assert done.values["errors"] == 3


def test_restart_and_reset_and_clock() -> None:
    restarted = difference(reading(0, calls=10), reading(60, started=1, calls=20))
    back = difference(reading(0, calls=10, rows=5), reading(60, calls=11, rows=4))
    clock = difference(reading(100, calls=1), reading(50, calls=2))
    assert [d.kind if isinstance(d, Unusable) else "" for d in (restarted, back, clock)] == ["reset", "reset", "clock"]
    assert isinstance(back, Unusable) and "rows" in back.reason


def test_float_noise_is_not_a_reset() -> None:
    done = difference(reading(0, time_s=1e6), reading(60, time_s=1e6 - 1e-7))
    assert isinstance(done, Difference) and done.values["time_s"] == 0.0


@pytest.mark.parametrize(("last", "at_us", "value", "found"), [
    (None, 10, 5.0, FIRST), ((10, 5.0), 10, 6.0, AGAIN), ((10, 5.0), 9, 6.0, AGAIN), ((10, 5.0), 20, 4.0, FELL),
    ((10, 5.0), 20, 5.0, (10, 0.0)), ((10, 5.0), 20, 7.5, (10, 2.5)),
])  # fmt: skip
def test_growth_of_one_counter(
    last: tuple[int, float] | None, at_us: int, value: float, found: tuple[int, float] | str
) -> None:
    assert growth(last, at_us, value) == found
