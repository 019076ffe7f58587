"""A machine of a run by events beyond queues: patience, failures, what comes besides, tasks beside each other, plans kept."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import polars as pl
import pytest

from hardy_gauge.probes.protocol import Arrival, PlayRequest, PlayStatement
from practice_fleet.events.machine import one_task
from practice_fleet.events.run import Run
from practice_fleet.fleet import Fleet
from practice_fleet.physics.clock import solve
from practice_fleet.physics.locks import Hold
from practice_fleet.physics.wait_events import LATCH, Limits
from practice_fleet.plays import event_run
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import PracticeServer
from tests.practice.test_queueing import host, visits

NOW = 1_795_521_600_000_000


def play(one: Any, rate: float, limits: Limits, seconds: float = 300, **more: Any) -> Any:
    return Run(host(8), [one], [1], Arrival(kind="open", rate_per_s=rate), limits, seed=11, **more).play(seconds)


def test_a_statement_timeout_fails_calls_and_cuts_them_as_by_the_clock() -> None:
    reading = visits(processor_s=0.01, random_reads=4.0)
    limits = Limits(1000, statement_timeout_s=0.06)
    run = Run(host(8, 16, 0.01), [reading], [1], Arrival(kind="open", rate_per_s=20), limits, seed=2).play(400)
    model = solve(np.array([[20.0]]), [reading], host(8, 16, 0.01), limits)
    late = float(run.executions["failed"].mean())
    assert late == pytest.approx(float(model.failed[0, 0]), abs=0.06) and late > 0.1
    open_ended = play(reading, 20, Limits(1000)).executions
    assert not open_ended["failed"].any()
    assert run.executions["duration_s"].max() < open_ended["duration_s"].max()


def test_no_one_waits_longer_than_patience() -> None:
    update = visits(processor_s=0.004, log_s=0.002, log_bytes=100, commits=True, hot_rows=1)
    for holds in ({}, {0: (Hold(5.0, 12.0), None)}):
        frame = play(update, 300, Limits(2000, lock_timeout_s=0.25), 60, holds=holds).executions
        assert frame["wait.row_lock"].max() <= (0.5 if holds else 0.25) + 1e-9, (
            "once for the idle session, once for the row"
        )
        assert frame["failed"].mean() > 0.05
        assert frame.filter(~frame["failed"])["wait.row_lock"].mean() < 0.25


def test_rows_are_free_again_after_calls_that_failed() -> None:
    """What gave up or was given up keeps nothing, so that a run goes on for ever."""
    many = replace(
        visits(processor_s=0.01, log_s=0.001, log_bytes=1, commits=True, hot_rows=6), locked_rows=3, same_order=False
    )
    run = Run(
        host(16),
        [many],
        [1],
        Arrival(kind="closed", workers=12),
        Limits(100, lock_timeout_s=0.05, deadlock_check_s=0),
        seed=5,
    )
    frame = run.play(120).executions
    assert 0.02 < frame["failed"].mean() < 0.9
    last = frame.filter(frame["start_s"] > 100)
    assert (~last["failed"]).sum() > 100, "still served at the end"
    assert len(run.machine.locking.rows.holders) <= 6


def test_a_share_of_calls_fails_whatever_happens() -> None:
    frame = play(visits(processor_s=0.001), 100, Limits(1000), failing={0: 0.3}).executions
    assert frame["failed"].mean() == pytest.approx(0.3, abs=0.01)


def test_pages_that_come_besides_make_reads_wait() -> None:
    reading = visits(random_reads=2.0)
    shape = host(8, 4, 0.005)

    def waited(besides: float) -> tuple[float, float]:
        arrival = Arrival(kind="open", rate_per_s=100)
        result = Run(shape, [reading], [1], arrival, Limits(1000), seed=3, pages_besides=besides).play(200)
        return float(result.executions["wait.page_read"].mean()), result.utilisation["data volume"]

    alone, beside = waited(0.0), waited(500.0)
    assert alone[1] == pytest.approx(200 * 0.005 / 4, rel=0.05)
    assert beside[1] == pytest.approx(700 * 0.005 / 4, rel=0.05)
    assert beside[0] > 1.5 * alone[0]


def test_one_latch_is_a_queue_by_events_as_by_the_clock() -> None:
    looking = visits(processor_s=0.0002, pages_requested=400.0)
    limits = Limits(5000, cache_partitions=1)
    rate = 4000.0
    result = Run(host(48), [looking], [1], Arrival(kind="open", rate_per_s=rate), limits, seed=4).play(10)
    model = solve(np.array([[rate]]), [looking], host(48), limits)
    # the clock takes the queue of exponential looks, by events all looks are of one length: half the wait
    assert result.executions["wait.cache_latch"].mean() == pytest.approx(float(model.seconds[LATCH, 0, 0]) / 2, rel=0.1)


def test_tasks_share_the_work_of_a_part() -> None:
    part = replace(visits(processor_s=0.9, random_reads=30.0, exchange_s=0.3), beside=3.0)
    task = one_task(part)
    assert (task.processor_s, task.random_reads, task.exchange_s) == pytest.approx((0.3, 10.0, 0.1))
    assert one_task(replace(part, beside=0.5)).processor_s == pytest.approx(1.8), "idle workers: who works has more"
    on = Run(
        host(8), [visits()], [1], Arrival(kind="open", rate_per_s=0.2), Limits(10), seed=2,
        worker_visits=[replace(visits(processor_s=0.9), beside=3.0)], workers=2,
    )  # fmt: skip
    frame = on.play(2000).executions
    harmonic = 0.3 * sum(1 / n for n in range(1, 7))  # the last of six exponential tasks of 0.3 s
    assert frame["wait.worker_wait"].mean() == pytest.approx(harmonic, rel=0.08)


def server(scenario: Scenario, **trouble: object) -> PracticeServer:
    spec = {"servers": ["desk-a"], "start_minutes_ago": 120} | trouble
    made = Scenario.model_validate(scenario.model_dump(exclude={"troubles"}) | {"troubles": [spec]})
    return PracticeServer(made, *made.servers()["desk-a"], NOW)


def test_a_trial_meets_the_failing_calls_of_its_server(scenario: Scenario) -> None:
    on = server(scenario, cause="failing_statement", statement="lend_item", size=0.4)
    texts = [PlayStatement(text=on.database.statements[key].sql, weight=1) for key in ("lend_item", "item_by_barcode")]
    request = PlayRequest(statements=texts, arrival=Arrival(kind="open", rate_per_s=100), seconds=30, seed=2)
    frame = event_run(on.trial_state(NOW, texts, {}, [], [], request.arrival), request).play(30).executions
    shares = dict(frame.group_by("statement").agg(pl.col("failed").mean()).iter_rows())
    assert shares[0] == pytest.approx(0.4, abs=0.05) and shares[1] == 0


def test_a_trial_on_shared_storage_feels_its_neighbours(scenario: Scenario) -> None:
    scans = {"cause": "missing_index", "servers": ["archive-b"], "index": "page_scan_folder", "start_minutes_ago": 60}
    made = Scenario.model_validate(scenario.model_dump(exclude={"troubles"}) | {"troubles": [scans]})
    history = Fleet(made, NOW).histories["archive-a"]
    on = history.server
    texts = [PlayStatement(text=on.database.statements["page_text"].sql, weight=1)]
    request = PlayRequest(statements=texts, arrival=Arrival(kind="open", rate_per_s=5), seconds=40, seed=2)
    means = []
    for foreign in (0.0, history.at(NOW).foreign_pages_per_s):
        state = on.trial_state(NOW, texts, {}, [], [], request.arrival)
        means.append(event_run(state, request, foreign).play(40).executions["duration_s"].mean())
    assert means[1] > 1.3 * means[0]  # type: ignore[operator]
