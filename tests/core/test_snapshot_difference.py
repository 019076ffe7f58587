"""What was done between two snapshots: exact where nothing was reset, and honest where something was."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.core.activity.counters import Reading
from hardy_gauge.core.activity.snapshot_difference import NotComparable, snapshot_difference

SECOND = 1_000_000
BORN = 10 * SECOND


def reading(at_s: float, born: int = BORN, **values: float) -> Reading:
    return Reading(int(at_s * SECOND), born, values)


def test_nothing_reset_is_plain_differences() -> None:
    rows = (
        {"a": {"calls": 5.0, "time_s": 1.0}, "b": {"calls": 2.0, "time_s": 9.0}},
        {"a": {"calls": 9.0, "time_s": 1.5}, "b": {"calls": 2.0, "time_s": 9.0}, "c": {"calls": 1.0, "time_s": 0.5}},
    )
    done = snapshot_difference(reading(100, commits=10), reading(160, commits=70), *rows)
    assert (done.from_us, done.span_s, done.values, done.notes) == (100 * SECOND, 60.0, {"commits": 60.0}, [])
    assert done.statements == {"a": {"calls": 4.0, "time_s": 0.5}, "c": {"calls": 1.0, "time_s": 0.5}}, (
        "b was not called"
    )


def test_a_restart_between_leaves_what_was_done_since() -> None:
    rows = ({"a": {"calls": 500.0, "time_s": 1.0}}, {"a": {"calls": 9.0, "time_s": 1.5}})
    done = snapshot_difference(reading(100, commits=1000), reading(200, born=150 * SECOND, commits=20), *rows)
    assert (done.from_us, done.span_s, done.values) == (150 * SECOND, 50.0, {"commits": 20.0})
    assert done.statements == {"a": {"calls": 9.0, "time_s": 1.5}} and "restarted between" in done.notes[0]


def test_a_reset_leaves_out_what_it_spoilt_and_nothing_else() -> None:
    rows = (
        {"a": {"calls": 500.0, "time_s": 9.0}, "gone": {"calls": 1.0, "time_s": 1.0}},
        {"a": {"calls": 7.0, "time_s": 1.5}},
    )
    done = snapshot_difference(reading(100, commits=10, pages_read=900), reading(160, commits=70, pages_read=4), *rows)
    assert done.values == {"commits": 60.0} and done.statements == {"a": {"calls": 7.0, "time_s": 1.5}}
    assert [note.split(" ")[0] for note in done.notes] == ["pages_read", "1", "1"]


@pytest.mark.parametrize(("first", "second"), [(100.0, 100.0), (100.0, 90.0)])
def test_the_second_has_to_be_later(first: float, second: float) -> None:
    with pytest.raises(NotComparable):
        snapshot_difference(reading(first, a=1), reading(second, a=2), {}, {})


counts = st.dictionaries(st.sampled_from("abc"), st.floats(0, 1e12), max_size=3)


@given(counts, counts, st.booleans())
def test_nothing_is_ever_below_zero_and_parts_never_exceed_the_whole(
    one: dict[str, float], more: dict[str, float], reborn: bool
) -> None:
    first, second = reading(100, **one), reading(200, born=150 * SECOND if reborn else BORN, **more)
    done = snapshot_difference(first, second, {}, {})
    for name, value in done.values.items():
        assert 0 <= value <= more[name] + 1e-6 * abs(more[name])
        assert reborn or name not in one or value == pytest.approx(more[name] - one[name], abs=1e-6 * more[name] + 1e-9)
    assert set(done.values) | {note.split(" ")[0] for note in done.notes} >= set(more)
