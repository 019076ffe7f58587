"""What a statement costs by value: values are found in texts, one that matters is named, and chance is not."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from hardy_gauge.core.sql.literals import literals
from hardy_gauge.core.statements.by_value import OTHER, Timed, by_value, median_interval


@pytest.mark.parametrize(
    ("sql", "found"),
    [
        ("SELECT * FROM hold h WHERE h.state = 'wait''ing' AND x > -5", [("h.state =", "'wait''ing'"), ("x >", "-5")]),
        ("SELECT a - 5 FROM t WHERE y IN (1, 2.5e3)", [("a -", "5"), ("y IN (", "1"), ("1,", "2.5e3")]),
        ("UPDATE t SET a = NULL, b = true WHERE c IS NULL AND d IS NOT TRUE LIMIT 10", [("a =", "NULL"), ("b =", "true"), ("LIMIT", "10")]),
        ("SELECT a -- 7\nFROM t /* 'x' */", []),
        ("", []),
    ],
)  # fmt: skip
def test_values_in_texts(sql: str, found: list[tuple[str, str]]) -> None:
    read = literals(sql)
    assert read is not None and [(one.before.removeprefix("SELECT "), one.value) for one in read] == found


@pytest.mark.parametrize("sql", ["SELECT 7 + $1", "SELECT ?", "SELECT 'x' WHERE a = :name", "SELECT %s"])
def test_a_text_with_parameters_tells_no_values(sql: str) -> None:
    assert literals(sql) is None


def calls(rng: np.random.Generator, count: int, effect: float) -> list[Timed]:
    states = rng.choice(["waiting", "ready", "gone"], count)
    return [
        Timed(f"SELECT 1 FROM hold WHERE id = {rng.integers(10**6)} AND state = '{state}'", float(np.exp(rng.normal(effect * (state == "gone"), 0.5))), f"plan {state == 'gone'}")
        for state in states
    ]  # fmt: skip


def test_the_value_that_matters_is_named_with_its_plan() -> None:
    found = by_value([*calls(np.random.default_rng(1), 300, 3.0), Timed(None, 1.0, None)])
    assert (
        found.before == "state ="
        and found.explained is not None
        and 0.7 < found.explained < 1
        and found.executions == 300
    )
    first = found.rows[0]
    assert (first.value, first.plan_key) == ("'gone'", "plan True") and first.low_s is not None
    assert 10 < first.low_s < first.median_s < first.high_s < 40  # type: ignore[operator]
    assert sum(row.share for row in found.rows) == pytest.approx(1) and sum(row.calls for row in found.rows) == 300
    assert "'gone'" in found.sentence and "state =" in found.sentence


def test_chance_is_not_named() -> None:
    """Of 400 sets without any effect at most 1% and what chance allows."""
    named = sum(bool(by_value(calls(np.random.default_rng(seed), 60, 0.0)).rows) for seed in range(400))
    assert named <= stats.binom.ppf(0.999, 400, 0.01)


def test_rare_values_stand_together() -> None:
    rng = np.random.default_rng(2)
    many = [Timed(f"SELECT 1 FROM t WHERE a = {n}", 0.1 * float(rng.uniform(0.9, 1.1)), None) for n in range(30)]
    one = [Timed("SELECT 1 FROM t WHERE a = 7", 5.0 * float(rng.uniform(0.9, 1.1)), None) for _ in range(10)]
    assert [(row.value, row.calls) for row in by_value(many + one).rows] == [("7", 11), (OTHER, 29)]


@pytest.mark.parametrize(
    ("executions", "words"),
    [
        ([], "No single execution"), ([Timed(None, 1.0, None)] * 3, "without values"), ([Timed("SELECT a FROM t WHERE b = $1 AND c = 7", 1.0, None)] * 30, "without values"), ([Timed("SELECT a FROM t", 1.0, None)] * 30, "has no values"),
        ([Timed("SELECT 1", 1.0, None)] * 5, "too few"), ([Timed("SELECT 1", 1.0, None)] * 30, "none of the values"),
        ([Timed("SELECT 1", 0.0, None)] * 20 + [Timed("SELECT 2", 0.0, None)] * 20, "none of the values"),
    ],
)  # fmt: skip
def test_what_is_not_known_is_said(executions: list[Timed], words: str) -> None:
    found = by_value(executions)
    assert words in found.sentence and found.rows == [] and found.explained is None


def test_intervals_of_medians_are_those_of_the_table() -> None:
    """As tables of the sign test have them (from memory): ranks 2 and 9 of ten values, 6 and 15 of twenty."""
    assert median_interval(range(1, 11)) == (2, 9) and median_interval(range(1, 21)) == (6, 15)
    assert median_interval([1.0] * 5) == (None, None) and median_interval(range(1, 7)) == (1, 6)
