"""Transactions of applications: what they lock is kept to the commit, the commit is one, and calls follow their parent."""

from __future__ import annotations

from typing import Any

import polars as pl
import pytest
from pydantic import ValidationError

from hardy_gauge.probes.protocol import Arrival, PlayRequest, PlayStatement
from practice_fleet import frames
from practice_fleet.history import History
from practice_fleet.plays import event_run
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import MINUTE_US
from practice_fleet.transactions import in_workload
from tests.conftest import length
from tests.practice.shelf import NOW, PLAIN, document, history, summed

LEND = {
    "rate": 20, "rhythm": "day", "steps": [{"statement": "count_reading"}, {"statement": "find_book", "times": 3}],
}  # fmt: skip


def lending(**more: Any) -> History:
    statements = {
        key: {k: v for k, v in one.items() if k != "rate"}
        for key, one in PLAIN["databases"]["shelf"]["statements"].items()
    }
    statements["count_reading"]["hot_rows"] = 20
    return history(database__transactions={"lend": LEND | more}, database__statements=statements)


def figure(made: History, name: str, minutes: int = 30) -> float:
    return float(frames.metric_frame(made, NOW, NOW + minutes * MINUTE_US)[name].sum())


def test_calls_follow_their_parent() -> None:
    calls = summed(frames.statement_frame(lending(), NOW, NOW + 60 * MINUTE_US), "statement_key")
    by_key = dict(zip(calls["statement_key"], calls["calls"], strict=True))
    assert by_key["find_book"] / by_key["count_reading"] == pytest.approx(3, rel=0.02)


def test_what_is_locked_is_kept_to_the_commit() -> None:
    """M/M/1 of a row that is kept longer: common practice, "commit soon"."""
    quick, slow = lending(), lending(pause_s=0.02)
    waited = [float(frames.statement_frame(h, NOW, NOW + 30 * MINUTE_US)["wait.row_lock"].sum()) for h in (quick, slow)]
    reading = summed(frames.statement_frame(slow, NOW, NOW + 30 * MINUTE_US), "statement_key").row(1, named=True)
    kept = 3 * (0.02 + reading["time_s"] / reading["calls"])
    assert waited[1] > 5 * waited[0]
    busy = 20 / 20 * kept  # twenty a second on twenty rows
    expected = busy * kept / (1 - busy) * figure(slow, "commits")
    assert waited[1] == pytest.approx(expected, rel=0.35)


def test_the_last_write_commits_for_all() -> None:
    steps = [{"statement": "count_reading"}, {"statement": "count_reading_again"}]
    statements = PLAIN["databases"]["shelf"]["statements"]
    both = {
        "count_reading": statements["count_reading"] | {"rate": 0},
        "count_reading_again": statements["count_reading"] | {"rate": 0},
    }
    made = history(database__transactions={"twice": LEND | {"steps": steps}}, database__statements=both)
    rows = summed(frames.statement_frame(made, NOW, NOW + 30 * MINUTE_US), "statement_key")
    first, last = rows["wait.log_flush"].to_list()
    assert first == 0 < last
    assert figure(made, "commits") == pytest.approx(rows["calls"][1], rel=1e-9)
    assert rows["log_bytes"][0] > 0, "its log is its own"


def test_a_share_rolls_back() -> None:
    made = lending(rolls_back=0.25)
    assert figure(made, "rollbacks") / (figure(made, "commits") + figure(made, "rollbacks")) == pytest.approx(
        0.25, rel=1e-6
    )
    assert figure(lending(), "rollbacks") == 0


def test_open_transactions_are_seen_as_idle_while_the_application_thinks() -> None:
    """Little's law: transactions per second times the seconds in which each is idle."""
    level = float(frames.metric_frame(lending(pause_s=0.5), NOW, NOW + MINUTE_US)["idle_transactions"][0])
    assert level == pytest.approx(20 * 3 * 0.5, rel=0.1)


@pytest.mark.parametrize(
    ("transaction", "words"),
    [
        (LEND | {"steps": [{"statement": "lend"}]}, "no statement 'lend'"),
        (LEND | {"rhythm": "night"}, "they must agree"),
        (LEND | {"rolls_back": 1}, "less than 1"),
    ],
)
def test_what_cannot_be_is_refused(transaction: dict[str, Any], words: str) -> None:
    with pytest.raises(ValidationError, match=words):
        Scenario.model_validate(document(database__transactions={"lend": transaction}))


def test_a_statement_that_nobody_calls_is_refused() -> None:
    with pytest.raises(ValidationError, match="a rate above 0 is needed"):
        Scenario.model_validate(document(statement__find_book__rate=0))


def played(made: History, seconds: float = 120, **arrival: Any) -> pl.DataFrame:
    """Executions of the lending workload by events, in the order in which they began."""
    state = made.server.state(NOW)
    texts = [PlayStatement(text=state.statements[key].sql, weight=weight) for key, weight in WEIGHTS.items()]
    wanted = PlayRequest(statements=texts, arrival=Arrival.model_validate(arrival), seconds=seconds, seed=4)
    on = made.server.trial_state(NOW, texts, {}, [], [], wanted.arrival)
    return event_run(on, wanted).play(seconds).executions.sort("start_s")


WEIGHTS = {"count_reading": 20.0, "find_book": 60.0}
OPEN = {"kind": "open", "rate_per_s": 80}


def test_by_events_calls_follow_their_parent_in_order() -> None:
    one = list(played(lending(), 10, kind="closed", workers=1)["statement"])
    whole = one[: len(one) // 4 * 4]
    assert len(whole) > 40 and [whole[at : at + 4] for at in range(0, len(whole), 4)] == [[0, 1, 1, 1]] * (
        len(whole) // 4
    )
    many = played(lending(), **OPEN)
    assert len(many) / 120 == pytest.approx(80, rel=0.05), "calls a second stay what they were"
    assert (many["statement"] == 1).mean() == pytest.approx(0.75, rel=0.01)


def test_by_events_what_is_locked_is_kept_to_the_commit() -> None:
    """An open transaction keeps its row over the pauses of the application. By the clock it is kept for an exponential time; by events
    for three of them, whose squared variation is a third: the wait is (1 + 1/3) ÷ 2 of that (Pollaczek and Khinchine).
    """
    quick, slow = (played(lending(pause_s=pause), length(1200, 600), **OPEN) for pause in (0.0, 0.02))
    made = lending(pause_s=0.02)
    waited = float(frames.statement_frame(made, NOW, NOW + 30 * MINUTE_US)["wait.row_lock"].sum())
    by_clock = waited / figure(made, "commits")
    waits = [float(made["wait.row_lock"].sum()) / max(1, int((made["statement"] == 0).sum())) for made in (quick, slow)]
    assert waits[1] > 5 * waits[0]
    assert waits[1] == pytest.approx(by_clock * (1 + 1 / 3) / 2, rel=0.15)


def test_by_events_the_last_write_commits_and_a_share_rolls_back() -> None:
    all_of_them, some = (played(lending(rolls_back=share), **OPEN) for share in (0.0, 0.25))
    flushed = [
        float((made.filter(made["statement"] == 0)["wait.log_flush"] > 0).mean()) for made in (all_of_them, some)
    ]
    assert flushed[0] == pytest.approx(1.0) and flushed[1] == pytest.approx(0.75, abs=0.04)


def test_what_is_not_whole_in_a_workload_is_called_alone() -> None:
    made = lending()
    places, none = {"count_reading": 0}, [20.0]
    assert in_workload(made.server.transactions, places, none, made.server.statements) == ([], [20.0])
    both, left = in_workload(
        made.server.transactions, {"count_reading": 0, "find_book": 1}, [20.0, 100.0], made.server.statements
    )
    assert both[0].weight == pytest.approx(20.0) and left == pytest.approx([0.0, 40.0])
    recorded = played(made, 10, kind="recorded", times_s=[0.1 * n for n in range(60)])
    assert len(recorded) == 60, "recorded arrivals are of calls"
