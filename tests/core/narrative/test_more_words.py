"""Words of trials, rules, plans, findings, peers and mosaics, on literal input."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pytest

from hardy_gauge.core.activity.ledger_sheet import Cell, mosaic_of
from hardy_gauge.core.narrative.findings import nothing_words, undiagnosed_words
from hardy_gauge.core.narrative.peers import peers_words
from hardy_gauge.core.narrative.plan import estimate_words, what_if_words
from hardy_gauge.core.narrative.setup import rule_words
from hardy_gauge.core.narrative.trials import arrival_words, changes_words, goal_words, held_words, index_words
from hardy_gauge.core.plans.model import Plan, Step
from hardy_gauge.core.statements.figure_groups import figure_groups
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.store.database import Store
from tests.queries.builder import HOUR, Built, earlier


@pytest.mark.parametrize(("arm", "words"), [
    ({"name": "control"}, "as it is"), ({"name": "a", "settings": {"cache": 1000}}, "cache = 1000"),
    ({"add_indexes": [{"table": "loan", "columns": ["due_on", "branch_id"]}], "drop_indexes": ["loan_due"]},
     "index on loan (due_on, branch_id); without index loan_due"),
    ({"settings": {"cache": 1}, "drop_indexes": ["x"]}, "cache = 1; without index x"),
    ({"settings": {}, "add_indexes": []}, "as it is"),
])  # fmt: skip
def test_what_an_arm_changes(arm: dict[str, Any], words: str) -> None:
    assert changes_words(arm) == words
    assert index_words({**arm, "settings": {"other": 1}}) == index_words(arm)


@pytest.mark.parametrize(("arrival", "words"), [
    ({"kind": "open", "rate": "400 /s"}, "arriving at random, 400 /s on average"),
    ({"workers": 4}, "4 workers, without pause"),
    ({"kind": "closed", "workers": 4, "think": "1 ms"}, "4 workers, pausing 1 ms on average"),
    ({"kind": "closed", "workers": 2, "think": "1 ms", "think_kind": "fixed", "order": "file"},
     "2 workers, each in the order of the file, pausing 1 ms each time"),
    ({"workers": 2, "think_kind": "uniform", "think_most": "9 ms", "order": "own"},
     "2 workers, each with a statement of its own, pausing 0 s to 9 ms"),
    ({"kind": "recorded", "times": ["0 s", "1 s"]}, "2 arrivals as recorded"),
])  # fmt: skip
def test_how_executions_arrive(arrival: dict[str, Any], words: str) -> None:
    assert arrival_words(arrival) == words
    held = held_words({"server": "lab-a"}, {"statements": [{}], "arrival": arrival}, 20.0, 5, 1, True)
    assert held.startswith("Lab server lab-a") and words in held and "runs of 20 s, each with empty caches" in held


def test_goals() -> None:
    assert goal_words({"metric": "p95", "at_most": "5 ms"}) == "p95 at most 5 ms"
    assert goal_words({"metric": "throughput", "at_least": "900 /s"}) == "throughput at least 900 /s"


@pytest.mark.parametrize(("given", "words"), [
    (("everything", 1.0, 1, 0.1, 0.01, False, None), "all statements, sessions each 1 s, executions from 100 ms"),
    (("everything", None, 4, None, 0.01, False, None), "all statements, no sessions, no executions"),
    (("weighty", 1.0, 4, 0.1, 0.01, True, None),
     "statements from 10 ms a call, sessions each 1 s, one in 4, executions from 100 ms with their values"),
    (("reading", 1.0, 1, 0.1, 0.01, False, None), "nothing new"),
    (("everything", 1.0, 1, 0.1, 0.01, False, datetime(2026, 3, 2, 9, 30, tzinfo=UTC)),
     "all statements, sessions each 1 s, executions from 100 ms, until 2026-03-02 09:30 UTC"),
])  # fmt: skip
def test_what_a_rule_records(given: tuple[Any, ...], words: str) -> None:
    assert rule_words(*given) == words


@pytest.mark.parametrize(("expected", "seen", "words"), [
    (10.0, 12.0, "as expected"), (10.0, 20.0, "2× the expected"), (10.0, 2.0, "5× fewer than expected"),
    (10.0, 0.0, "none of the expected"), (10.0, None, ""), (0.0, 5.0, ""),
])  # fmt: skip
def test_estimates(expected: float, seen: float | None, words: str) -> None:
    assert estimate_words(expected, seen) == words


def test_what_if_never_takes_unknown_for_nothing() -> None:
    scan, lookup = Step("scan", "all", object="t"), Step("index lookup", "some", object="t", index="i")
    before, after = Plan(scan, "x", cost=900.0, time_s=2.0), Plan(lookup, "x", cost=4.0, time_s=0.002)
    assert what_if_words(after, before) == "With the change: 2.00 ms instead of 2.00 s."
    assert what_if_words(before, before) == "The plan stays the same." and what_if_words(after, None) == ""
    untimed = Plan(lookup, "x", cost=4.0)
    assert what_if_words(untimed, before) == "With the change: a cost of 4 to the planner instead of 900."
    assert "neither time nor cost" in what_if_words(Plan(lookup, "x"), before)


def test_not_diagnosed_is_not_healthy() -> None:
    assert undiagnosed_words(None, 0, 0, 2, False).startswith("Not diagnosed yet")
    assert undiagnosed_words(None, 0, 0, 2, True) == "This time was not diagnosed."
    assert undiagnosed_words(300, 0, 0, 2, True).startswith(
        "This time was not diagnosed; findings are looked for since"
    )
    assert undiagnosed_words(None, 1, 2, 2, True) == "All of this time was diagnosed on 1 of 2 servers."
    assert not undiagnosed_words(300, 2, 2, 2, False)
    assert nothing_words([]).startswith("No rule found") and nothing_words(["x"]).startswith(
        "Of what could be looked at"
    )
    assert peers_words(None) == "Of two servers neither is the odd one"


def test_a_mosaic_says_what_it_leaves_out() -> None:
    cells = [Cell("read", str(n), 1.0, 0.9, 1.1, None) for n in range(10)] + [Cell("lock", "3", 10.0, 9.0, 11.0, None)]
    found = mosaic_of(cells, most=3)
    assert [column.key for column in found.columns] == ["3", "0", "1"] and found.columns[0].share == pytest.approx(0.55)
    assert found.rest == "35% is in smaller columns." and mosaic_of(cells, most=10).rest == ""
    assert mosaic_of([]).columns == []


def test_typical_active_sessions_are_not_a_product_of_medians(store: Store) -> None:
    """A statement is called often on the days on which it is quick: the product of the medians was never there."""
    built = Built(store)
    server, statement = built.server("a"), built.statement("SELECT 1")
    for span, calls, each in zip(
        [HOUR, *earlier([7, 14, 21], HOUR)], (10, 10, 20, 40), (0.1, 0.4, 0.1, 0.2), strict=True
    ):
        built.minutes(server, span.since_us, span.until_us, 1.0)
        built.calls(server, statement, span.since_us, span.until_us, float(calls), each)
    (row,) = statement_rows(built.reader, Window(HOUR), "a").rows
    per_second = next(group for group in figure_groups(row) if group.title == "per second")
    line = next(line for line in per_second.lines if line.words == "active sessions")
    assert line.value == pytest.approx(1.0) and line.reference == pytest.approx(4.0), "median of 4, 2 and 8"
