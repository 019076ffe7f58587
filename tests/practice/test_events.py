"""The event model beyond queueing theory: locks, think time, sessions, background commits."""

from __future__ import annotations

import pytest

from hardy_gauge.probes.protocol import Arrival
from practice_fleet.events.run import Randoms, Run
from practice_fleet.physics.queueing import erlang_b
from practice_fleet.physics.wait_events import Limits
from tests.practice.test_queueing import host, visits

OPEN = Arrival(kind="open", rate_per_s=40)


def test_hot_rows_queue_and_many_rows_do_not() -> None:
    def waited(rows: int) -> float:
        update = visits(processor_s=0.001, log_s=0.015, log_bytes=100, commits=True, hot_rows=rows)
        frame = Run(host(8), [update], [1], OPEN, Limits(1000), seed=2).play(120).executions
        return float(frame["wait.row_lock"].mean())  # type: ignore[arg-type]

    assert waited(1) > 10 * waited(200)


def test_lock_is_held_to_the_commit() -> None:
    """Two updates of one row never overlap, so their rate is at most one per hold."""
    update = visits(processor_s=0.0, log_s=0.02, log_bytes=100, commits=True, hot_rows=1)
    arrival = Arrival(kind="closed", workers=20)
    frame = Run(host(8), [update], [1], arrival, Limits(100), seed=1).play(60).executions
    assert len(frame) / 60 == pytest.approx(1 / 0.02, rel=0.02)


def test_background_commit_does_not_wait_but_still_writes() -> None:
    update = visits(log_s=0.01, log_bytes=100, commits=False)
    result = Run(host(2), [update], [1], OPEN, Limits(100), seed=1).play(60)
    assert result.executions["wait.log_flush"].sum() == 0
    assert result.utilisation["log volume"] > 0.2


@pytest.mark.parametrize(("think", "cv_low", "cv_high"), [("fixed", 0.0, 0.05), ("exponential", 0.9, 1.1)])
def test_think_time_has_its_distribution(think: str, cv_low: float, cv_high: float) -> None:
    arrival = Arrival(kind="closed", workers=1, think_s=0.5, think=think)  # type: ignore[arg-type]
    frame = Run(host(1), [visits(client_s=0.001)], [1], arrival, Limits(10), seed=4).play(1500).executions
    gaps = frame["start_s"].diff().drop_nulls() - 0.001
    assert gaps.mean() == pytest.approx(0.5, rel=0.05)
    assert cv_low <= gaps.std() / gaps.mean() <= cv_high


def test_sessions_are_limited_and_who_finds_none_is_refused() -> None:
    """Two sessions, each taken for 0.1 s, 19 calls a second: as many are lost as by Erlang's formula B."""
    run = Run(host(1), [visits(client_s=0.1)], [1], Arrival(kind="open", rate_per_s=19), Limits(2), seed=3)
    result = run.play(400)
    assert result.samples.group_by("tick_s").len()["len"].max() <= 2
    lost = run.machine.refused / (run.machine.refused + len(result.executions))
    assert lost == pytest.approx(float(erlang_b(2, 1.9)), rel=0.05)


def test_weights_are_shares_of_the_mix() -> None:
    frame = (
        Run(host(4), [visits(client_s=0.0)] * 3, [6, 3, 1], Arrival(kind="open", rate_per_s=300), Limits(100), 5)
        .play(60)
        .executions
    )
    shares = {row[0]: row[1] / len(frame) for row in frame.group_by("statement").len().iter_rows()}
    assert [shares[i] for i in range(3)] == pytest.approx([0.6, 0.3, 0.1], abs=0.02)


def test_stopping_keeps_what_was_done() -> None:
    result = Run(host(2), [visits(processor_s=0.001)], [1], OPEN, Limits(100), 1).play(100, lambda done: done < 7)
    assert result.seconds == 7 and 200 < len(result.executions) < 360


def test_nothing_arrives() -> None:
    arrival = Arrival(kind="closed", workers=1, think_s=1000)
    result = Run(host(1), [visits()], [1], arrival, Limits(10), 1).play(2)
    assert result.executions.is_empty() and result.samples.is_empty()


def test_whole_visits_keep_their_mean() -> None:
    random = Randoms(7)
    drawn = [random.whole(2.3) for _ in range(20_000)]
    assert set(drawn) == {2, 3} and sum(drawn) / len(drawn) == pytest.approx(2.3, abs=0.02)
    assert sum(random.exponential(0.5) for _ in range(20_000)) / 20_000 == pytest.approx(0.5, rel=0.03)
