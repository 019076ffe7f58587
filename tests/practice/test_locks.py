"""Row locks: waits and patience by the clock against the same by events, deadlocks, and who waits for whom."""

from __future__ import annotations

import networkx as nx
import numpy as np
import polars as pl
import pytest
import simpy
from scipy.integrate import quad

from hardy_gauge.probes.protocol import Arrival, PlayRequest, PlayStatement
from practice_fleet import frames
from practice_fleet.events.rows import Rows
from practice_fleet.events.run import Run
from practice_fleet.history import History
from practice_fleet.live import LiveServer
from practice_fleet.physics.clock import solve
from practice_fleet.physics.locks import Hold, hot_rows
from practice_fleet.physics.wait_events import LOCK, Limits
from practice_fleet.plays import event_run
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import HOUR_US, MINUTE_US, PracticeServer
from tests.practice.test_queueing import host, visits

NOW = 1_795_521_600_000_000


@pytest.mark.parametrize("patience", [0.3, 5.0, float("inf")])
def test_a_hold_by_the_clock_is_its_integral(patience: float) -> None:
    hold = Hold(lasts_s=2.0, every_s=10.0)
    mean, second, gave_up = (float(part[0]) for part in hold.minutes(np.array([0.0]), patience))
    waits = [quad(lambda left, n=n: min(left, patience) ** n, 0, 2)[0] / 10 for n in (1, 2)]
    assert [mean, second] == pytest.approx(waits, rel=1e-6)
    assert gave_up == pytest.approx(max(0.0, 2 - patience) / 10)
    assert hold.cut(0.5).lasts_s == 0.5 and hold.cut(0).lasts_s == 2.0


@pytest.mark.parametrize("patience", [0.4, float("inf")])
def test_clock_and_events_agree_on_an_idle_transaction(patience: float) -> None:
    update = visits(processor_s=0.001, log_s=0.002, log_bytes=100, commits=True)
    limits, hold = Limits(1000, lock_timeout_s=patience), Hold(2.0, 20.0)
    arrival = Arrival(kind="open", rate_per_s=30)
    run = Run(host(8), [update], [1], arrival, limits, seed=6, holds={0: (hold, None)})
    frame = run.play(1500).executions
    model = solve(np.array([[30.0]]), [update], host(8), limits, holds=[hold])
    assert frame["wait.row_lock"].mean() == pytest.approx(float(model.seconds[LOCK, 0, 0]), rel=0.06)
    assert frame["failed"].mean() == pytest.approx(float(model.failed[0, 0]), abs=0.006)
    assert (patience < 1) == bool(frame["failed"].any())


def deadlocking(rows: int, order: str, locked: int = 4) -> tuple[Run, float]:
    many = visits(processor_s=0.02, log_s=0.001, log_bytes=10, commits=True, hot_rows=rows)
    many = type(many)(**(many.__dict__ | {"locked_rows": locked, "same_order": order == "same"}))
    arrival = Arrival(kind="open", rate_per_s=100)
    frame = Run(host(64), [many], [1], arrival, Limits(1000, deadlock_check_s=0), seed=3).play(200)
    return frame, float(frame.executions["failed"].mean())  # type: ignore[return-value, arg-type]


def test_locks_in_any_order_end_in_deadlocks_and_in_one_order_never() -> None:
    """The share follows Gray and others (SIGMOD 1996): the square of the number of rows, the fourth of the locks."""
    _, none = deadlocking(60, "same")
    assert none == 0
    shares = {rows: deadlocking(rows, "any")[1] for rows in (60, 120)}
    formula = {rows: float(hot_rows(100.0, 0.021, rows, 4, False, float("inf")).victims) for rows in shares}
    assert shares[60] > 2.5 * shares[120] > 0, "half the rows, about four times the deadlocks"
    for rows, share in shares.items():
        assert share == pytest.approx(formula[rows], rel=0.35), "the formula counts circles of two only"
    assert deadlocking(120, "any", locked=2)[1] < shares[120] / 4


def test_a_circle_is_found_after_a_time_and_is_waited_in_until_then() -> None:
    """By events a victim has waited at least so long; by the clock the circles lengthen what rows are kept, and the two agree."""
    many = visits(processor_s=0.02, log_s=0.001, log_bytes=10, commits=True, hot_rows=200)
    many = type(many)(**(many.__dict__ | {"locked_rows": 4, "same_order": False}))
    arrival, check_s = Arrival(kind="open", rate_per_s=60), 0.5
    found = Run(host(64), [many], [1], arrival, Limits(1000, deadlock_check_s=check_s), seed=3).play(1500).executions
    failed = found.filter("failed")
    assert len(failed) > 10 and float(failed["wait.row_lock"].min()) >= check_s  # type: ignore[arg-type]
    formula = hot_rows(60.0, 0.021, 200, 4, False, float("inf"), check_s)
    assert float(found["failed"].mean()) == pytest.approx(float(formula.victims), rel=0.5)  # type: ignore[arg-type]
    assert float(hot_rows(60.0, 0.021, 200, 4, False, float("inf")).mean) < float(formula.mean)


def test_who_would_close_a_circle_is_found_over_any_number_of_others() -> None:
    rows = Rows(simpy.Environment())
    for owner in range(4):
        assert rows.take(owner, f"r{owner}") is None
    for owner in range(3):
        assert rows.take(owner, f"r{owner + 1}") is not None
        assert not rows.closes_circle(owner, f"r{owner + 1}")
    rows.take(3, "r0")
    assert rows.closes_circle(3, "r0")
    rows.give_up(3, "r0")
    rows.release("r3")
    assert rows.holders["r3"] == 2 and 2 not in rows.waits_for
    rows.release("r0")
    assert "r0" not in rows.holders


def test_circles_are_those_that_a_graph_library_finds() -> None:
    """Reference: networkx, over random requests for rows; a wait is refused exactly when it would close a circle."""
    rng = np.random.default_rng(8)
    refused = waiting = 0
    for _ in range(60):
        rows, graph = Rows(simpy.Environment()), nx.DiGraph()
        for _ in range(40):
            owner, row = int(rng.integers(0, 9)), int(rng.integers(0, 12))
            if owner in rows.waits_for or rows.holders.get(row) == owner:
                continue
            if rows.take(owner, row) is None:
                continue
            graph.clear()
            graph.add_edges_from((who, rows.holders[wanted]) for who, wanted in rows.waits_for.items())
            closes = rows.closes_circle(owner, row)
            assert closes == (owner in {node for circle in nx.simple_cycles(graph) for node in circle})
            refused, waiting = refused + closes, waiting + 1
            if closes:
                rows.give_up(owner, row)
    assert refused > 50 and waiting > 200


def ill(scenario: Scenario, **trouble: object) -> PracticeServer:
    spec = {"servers": ["desk-a"], "start_minutes_ago": 120} | trouble
    made = Scenario.model_validate(scenario.model_dump(exclude={"troubles"}) | {"troubles": [spec]})
    return PracticeServer(made, *made.servers()["desk-a"], NOW)


def test_samples_show_who_waits_for_whom_down_a_chain(scenario: Scenario) -> None:
    server = ill(scenario, cause="lock_chain", statement="count_for_branch", then="lend_item", size=0.5)
    frame = frames.sample_frame(History(server), NOW, NOW + 5 * MINUTE_US)
    waiting = frame.filter(pl.col("wait_event") == "row_lock")
    by = {key[0]: part for key, part in waiting.group_by("statement_key")}
    idle = int(server.settings["max_sessions"])
    assert set(by["count_for_branch"]["blocked_by"]) == {idle}
    chained = by["lend_item"].filter(pl.col("blocked_by") != idle)
    assert len(chained) > 20, "lend_item waits for sessions that wait themselves"
    seen = waiting.filter(pl.col("statement_key") == "count_for_branch").select("at_us", "session")
    assert len(chained.join(seen, left_on=["at_us", "blocked_by"], right_on=["at_us", "session"])) == len(chained)
    others = frame.filter(pl.col("wait_event") != "row_lock")
    assert others["blocked_by"].null_count() == len(others) and idle not in set(frame["session"])


def test_a_trial_on_a_troubled_server_meets_the_same_sessions(scenario: Scenario) -> None:
    server = ill(scenario, cause="lock_chain", statement="count_for_branch", then="lend_item", size=0.5, lasts_s=4)
    sql = server.database.statements
    texts = [PlayStatement(text=sql[key].sql, weight=1) for key in ("count_for_branch", "lend_item")]
    request = PlayRequest(statements=texts, arrival=Arrival(kind="open", rate_per_s=40), seconds=90, seed=2)
    state = server.trial_state(NOW, texts, {}, [], [], request.arrival)
    samples = event_run(state, request).play(90).samples.filter(pl.col("wait_event") == "row_lock")
    idle = int(server.settings["max_sessions"])
    direct, chained = (samples.filter(pl.col("statement") == n)["blocked_by"] for n in (0, 1))
    assert set(direct) == {idle} and len(direct) > 20
    assert len(chained) > 20 and idle not in set(chained)


def test_deadlocks_fail_calls_and_the_log_names_each_victim(scenario: Scenario) -> None:
    server = ill(scenario, cause="deadlocks", statement="count_for_branch", size=80)
    frame = frames.metric_frame(History(server), NOW, NOW + 60 * MINUTE_US)
    said = LiveServer(History(server), NOW).messages(NOW, NOW + HOUR_US).messages
    victims = [m for m in said if "given up as victim" in m.text]
    assert len(victims) > 0 and frame["errors"].sum() > 0
    assert len(victims) == pytest.approx(frame["errors"].sum(), rel=0.35, abs=4)
    assert [
        m
        for m in LiveServer(History(server), NOW).messages(NOW - 6 * HOUR_US, NOW - 3 * HOUR_US).messages
        if "victim" in m.text
    ] == []


def test_few_calls_wait_long_behind_an_idle_session_and_the_rest_not_at_all(scenario: Scenario) -> None:
    """A mean of 0.4 s that is 4% of the calls waiting up to 20 s, not every call waiting a little."""
    server = ill(scenario, cause="idle_transaction", statement="count_for_branch", size=0.4)
    history = History(server)
    block = history.at(NOW)
    calls = float(block.calls[block.keys.index("count_for_branch"), 0])
    frame = frames.execution_frame(history, NOW, NOW + HOUR_US, 0.1).filter(
        pl.col("statement_key") == "count_for_branch"
    )
    assert len(frame) / 60 == pytest.approx(0.04 * calls, rel=0.15)
    assert frame["duration_s"].max() == pytest.approx(20, abs=0.5)
    assert frame["duration_s"].mean() == pytest.approx(10, rel=0.05)


def test_timeouts_cut_waits_and_fail_calls(scenario: Scenario) -> None:
    server = ill(scenario, cause="idle_transaction", statement="count_for_branch", size=1.5)
    open_ended = History(server).blocks(NOW, NOW + HOUR_US)[0]  # holds come and go within it
    number = open_ended.keys.index("count_for_branch")
    for setting in ("lock_timeout_s", "statement_timeout_s", "idle_transaction_timeout_s"):
        server = ill(scenario, cause="idle_transaction", statement="count_for_branch", size=1.5)
        server.settings[setting] = 0.5
        block = History(server).blocks(NOW, NOW + HOUR_US)[0]
        assert block.model.seconds[:, number].sum() < open_ended.model.seconds[:, number].sum() / 2, setting
        fails = float(block.model.failed[number].mean())
        assert fails == 0 if setting == "idle_transaction_timeout_s" else 0.01 < fails < 0.2, setting
        if setting == "statement_timeout_s":
            assert frames.execution_frame(History(server), NOW, NOW + HOUR_US, 0.1)["duration_s"].max() == 0.5


def test_a_hold_is_an_event() -> None:
    """40 s each 1,600 s: quiet minutes, then a pile-up that grows while the session does nothing, in the minutes of the hold alone."""
    hold = Hold(lasts_s=40.0, every_s=1600.0, first_s=100.0)
    minutes = np.arange(0, 3600, 60.0)
    mean, second, _ = hold.minutes(minutes, float("inf"))
    assert list(np.flatnonzero(mean)) == [1, 2, 28, 55], "from 100, 1,700 and 3,300 s on"
    assert mean.sum() * 60 == pytest.approx(3 * 40**2 / 2) and second.sum() * 60 == pytest.approx(3 * 40**3 / 3)
    assert list(hold.age_s([99.0, 100.0, 139.0, 141.0, 1705.0])) == [-1, 0, 39, -1, 5]
    assert list(hold.waiting([0.0, 10.0, 39.0], 25.0)) == [0, 10, 25]
