"""What holds for every input: sums, shares, own times, margins, readings. Hypothesis looks for one that breaks it."""

from __future__ import annotations

from collections import Counter

import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from hardy_gauge.core.activity.counters import Reading, Unusable, difference
from hardy_gauge.core.activity.ledger import PERIOD_US, entries, over_time
from hardy_gauge.core.activity.margins import poisson_interval
from hardy_gauge.core.figures.units import duration
from hardy_gauge.core.plans.model import Plan, Step
from hardy_gauge.core.plans.own_time import by_key, fill_own_times
from hardy_gauge.core.trials.compare import paired_ratio

samples = st.lists(
    st.tuples(st.integers(0, 59), st.sampled_from(["data read", "processor", "row lock"]), st.sampled_from("abc")),
    max_size=120,
)


def frame(rows: list[tuple[int, str, str]]) -> pl.DataFrame:
    schema = {"at_us": pl.Int64, "wait_family": pl.String, "service": pl.String}
    return pl.DataFrame([(at * PERIOD_US, f, s) for at, f, s in rows], schema=schema, orient="row")


@given(samples)
def test_entries_are_plain_counts_and_their_margins_hold_them(rows: list[tuple[int, str, str]]) -> None:
    counted = Counter((family, service) for _, family, service in rows)
    found = entries(frame(rows), ["wait_family", "service"], seconds=60)
    assert {(r["wait_family"], r["service"]): r["samples"] for r in found.iter_rows(named=True)} == counted
    assert found["samples"].to_list() == sorted(counted.values(), reverse=True)
    for row in found.iter_rows(named=True):
        assert 0 <= row["low"] <= row["active_sessions"] <= row["high"]


@given(samples, st.sampled_from([1, 5, 10, 60]))
def test_time_steps_hold_all_the_time(rows: list[tuple[int, str, str]], step: int) -> None:
    steps = over_time(frame(rows), "wait_family", 0, 60 * PERIOD_US, step * PERIOD_US)
    assert float(steps["active_sessions"].sum()) * step == pytest.approx(len(rows))
    assert all(at % (step * PERIOD_US) == 0 for at in steps["at_us"])


@given(st.lists(st.tuples(st.integers(0, 10_000), st.floats(0, 1e6)), min_size=1, max_size=20))
def test_a_margin_holds_its_count_and_grows_with_its_variance(cases: list[tuple[int, float]]) -> None:
    count = np.array([c for c, _ in cases], dtype=float)
    variance = np.array([v for _, v in cases])
    low, high = poisson_interval(count, variance)
    assert np.all(low <= count + 1e-9) and np.all(high >= count) and np.all(low >= 0)
    _, wider = poisson_interval(count, variance * 4 + count)
    assert np.all(wider >= high - 1e-6)


def trees(depth: int = 4) -> st.SearchStrategy[Step]:
    time = st.one_of(st.none(), st.floats(0, 100))
    leaf = st.builds(lambda t: Step("scan", "read", time_s=t), time)
    return st.recursive(
        leaf, lambda below: st.builds(lambda t, s: Step("join", "match", time_s=t, steps=s), time, st.lists(below, max_size=3)),
        max_leaves=depth * 3,
    )  # fmt: skip


@given(trees(), st.floats(0, 500))
def test_own_times_are_never_negative_and_add_up_to_the_run(root: Step, whole: float) -> None:
    root.time_s = whole
    plan = fill_own_times(Plan(root, "made up"))
    own = [step.own_time_s for _, step in plan.root.walk() if step.own_time_s is not None]
    assert all(seconds >= 0 for seconds in own)
    lost = any(step.time_s is None and any(s.time_s for s in step.steps) for _, step in root.walk())
    if not lost:
        assert sum(own) == pytest.approx(whole, abs=1e-6)
    assert sum(row.own_time_s for row in by_key(plan, "operation")) == pytest.approx(sum(own))


@given(
    st.dictionaries(st.sampled_from("abcd"), st.floats(0, 1e12), min_size=1),
    st.dictionaries(st.sampled_from("abcd"), st.floats(0, 1e9), min_size=1),
)
def test_a_difference_is_what_was_added(first: dict[str, float], added: dict[str, float]) -> None:
    then = {name: first.get(name, 0.0) + added.get(name, 0.0) for name in {*first, *added}}
    done = difference(Reading(0, 0, first), Reading(60_000_000, 0, then))
    assert not isinstance(done, Unusable) and done.span_s == 60
    for name, value in done.values.items():
        assert value == pytest.approx(added.get(name, 0.0), abs=1e-3, rel=1e-6) and value >= 0


positive = st.lists(st.floats(0.01, 1e4), min_size=3, max_size=12)


@settings(max_examples=60)
@given(positive, st.floats(0.1, 10))
def test_a_ratio_follows_its_unit_and_turns_with_its_arms(control: list[float], factor: float) -> None:
    """Scaling one arm scales the ratio; swapping the arms inverts it and its interval."""
    candidate = [value * factor * (1 + 0.01 * (i % 3)) for i, value in enumerate(control)]
    one = paired_ratio(control, candidate)
    scaled = paired_ratio(control, [value * 2 for value in candidate])
    back = paired_ratio(candidate, control)
    assert scaled.ratio == pytest.approx(one.ratio * 2) and scaled.high == pytest.approx(one.high * 2)
    assert (back.ratio, back.low, back.high) == pytest.approx((1 / one.ratio, 1 / one.high, 1 / one.low))


@given(st.floats(0.001, 1e6), st.sampled_from(["us", "ms", "s", "min"]))
def test_durations_survive_being_written_and_read(number: float, unit: str) -> None:
    seconds = {"us": 1e-6, "ms": 1e-3, "s": 1.0, "min": 60.0}[unit]
    assert duration(f"{number:.6f} {unit}") == pytest.approx(float(f"{number:.6f}") * seconds)
