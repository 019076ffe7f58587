"""What explains a difference in time: parts that add up exactly whatever the figures, and known cases."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from hardy_gauge.core.compare.split import Split, split

Side = dict[str, tuple[float, float]]
positive = st.floats(1e-3, 1e5, allow_nan=False)
sides = st.dictionaries(st.sampled_from("abcdef"), st.tuples(positive, positive), max_size=6)


def scale_of(found: Split) -> float:
    """The largest figure that is added: the parts are exact as far as numbers of that size are."""
    single = [abs(part) for one in found.statements for part in (one.calls, one.mix, one.per_call)]
    return max(found.before, found.after, 1e-9, *single)


@settings(max_examples=300, deadline=None)
@given(sides, sides)
def test_the_parts_add_up(before: Side, after: Side) -> None:
    found = split(before, after)
    scale = scale_of(found)
    assert found.whole == pytest.approx(found.after - found.before, abs=1e-9 * scale)
    assert sum(one.whole for one in found.statements) == pytest.approx(found.whole, abs=1e-9 * scale)
    for one in found.statements:
        mine = after.get(one.key, (0, 0))[1] - before.get(one.key, (0, 0))[1]
        assert one.whole == pytest.approx(mine, abs=1e-9 * scale)


@settings(max_examples=100, deadline=None)
@given(sides, sides)
def test_turned_round_every_part_changes_its_sign(before: Side, after: Side) -> None:
    there, back = split(before, after), split(after, before)
    scale = scale_of(there)
    for one, other in ((there.calls, back.calls), (there.mix, back.mix), (there.per_call, back.per_call)):
        assert one == pytest.approx(-other, abs=1e-9 * scale)


def test_twice_the_calls_of_everything_is_more_calls_alone() -> None:
    found = split({"a": (10, 1.0), "b": (5, 2.0)}, {"a": (20, 2.0), "b": (10, 4.0)})
    assert (found.calls, found.mix, found.per_call) == pytest.approx((3.0, 0.0, 0.0))


def test_longer_calls_alone() -> None:
    found = split({"a": (10, 1.0), "b": (5, 2.0)}, {"a": (10, 3.0), "b": (5, 2.0)})
    assert (found.calls, found.mix, found.per_call) == pytest.approx((0.0, 0.0, 2.0))
    assert found.statements[0].key == "a"


def test_other_statements_in_place_of_the_old_ones_are_another_mix() -> None:
    found = split({"cheap": (10, 0.1)}, {"dear": (10, 5.0)})
    assert (found.calls, found.per_call) == pytest.approx((0.0, 0.0)) and found.mix == pytest.approx(4.9)


def test_nothing_on_one_side() -> None:
    found = split({}, {"a": (10, 1.0)})
    assert found.whole == pytest.approx(1.0) and split({}, {}).whole == 0.0
