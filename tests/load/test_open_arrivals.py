"""Open and recorded arrivals on real engines: who arrives while all sessions are busy waits, and that is counted."""

from __future__ import annotations

import os
import time
from typing import Any

import numpy as np
import pytest
from scipy import stats

from hardy_gauge.load.arrivals import due_times
from hardy_gauge.load.design import BadTrial, read_design
from hardy_gauge.load.kinds import outcome_of
from hardy_gauge.load.parts import ArrivalSpec
from hardy_gauge.load.playing import play_trial
from hardy_gauge.load.targets import Fleet, open_target
from hardy_gauge.load.trial import RunResult
from hardy_gauge.load.worker_loop import next_due, shared_queue, work_through

POSTGRES = pytest.mark.postgres
TARGETS = [{"sample": "library"}, pytest.param({"postgresql": {"sample": "library"}}, marks=POSTGRES)]
TEXT = {"sql": "SELECT id, due_day FROM loan WHERE id = $1", "parameters": [{"low": 1, "high": 20000}]}


def document(target: dict[str, Any], arrival: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {
        "title": "arrivals", "goal": {"metric": "p95", "at_most": "1 s"}, "target": target,
        "workload": {"arrival": arrival, "statements": [TEXT]}, "arms": [{"name": "control"}, {"name": "again"}],
        "run": {"seconds": "1.5 s", "blocks": 2, "seed": 4},
    } | more  # fmt: skip


def played(stated: dict[str, Any]) -> tuple[dict[str, Any], list[RunResult], list[Any]]:
    design, frames = read_design(stated), []
    target = open_target(design, Fleet(None))
    try:
        results = play_trial(design, target, lambda _, frame: frames.append(frame), lambda _: True)
    finally:
        target.close()
    return outcome_of(design, results), results, frames


def test_open_arrivals_are_a_poisson_process() -> None:
    """Gaps against scipy's exponential distribution (Kolmogorov and Smirnov); the same for a seed, others for another."""
    arrival = ArrivalSpec(kind="open", rate="200 /s")
    found = due_times(arrival, 60.0, 7)
    assert found is not None and found == due_times(arrival, 60.0, 7) != due_times(arrival, 60.0, 8)
    assert abs(len(found) - 12_000) < 4 * 12_000**0.5 and found[0] >= 0 and found[-1] < 60
    assert stats.kstest(np.diff(found), stats.expon(scale=1 / 200).cdf).pvalue > 0.001
    assert due_times(ArrivalSpec(kind="recorded", times=["10 ms", "1 s", "3 s"]), 2.0, 1) == [0.01, 1.0]
    assert due_times(ArrivalSpec(workers=2), 2.0, 1) is None


def test_each_arrival_is_taken_by_one_of_several_processes() -> None:
    times = [n / 10_000 for n in range(20_000)]
    queue, pipes = shared_queue(times), []
    for _ in range(4):
        here, there = os.pipe()
        if os.fork() == 0:
            mine = []
            while (due := next_due(queue)) is not None:
                mine.append(due)
            data = memoryview(np.array(mine).tobytes())
            while data:
                data = data[os.write(there, data) :]
            os._exit(0)
        os.close(there)
        pipes.append(here)
    taken = []
    for pipe in pipes:
        data = b""
        while part := os.read(pipe, 1 << 16):
            data += part
        taken += np.frombuffer(data).tolist()
        os.close(pipe)
        os.wait()
    os.close(queue)
    assert sorted(taken) == times


def test_waiting_for_a_session_is_counted() -> None:
    """One session that takes 5 ms for each of 120 arrivals a second: response times are those of Lindley's recursion (1952)."""
    due = due_times(ArrivalSpec(kind="open", rate="120 /s"), 3.0, 3)
    assert due is not None
    queue, took = shared_queue(due), []

    def execute(_: int, __: list[Any]) -> bool:
        began = time.perf_counter()
        time.sleep(0.005)
        took.append(time.perf_counter() - began)
        return True

    asked = {
        "seed": 1, "seconds": 3.0, "arrivals": queue, "statements": [{"weight": 1, "parameters": []}],
        "pace": {"think": 0.0, "think_kind": "exponential", "think_most": None, "order": "weight"},
    }  # fmt: skip
    rows = work_through(asked, 0, execute, lambda: False).packed()
    os.close(queue)
    starts, lasted = np.frombuffer(rows[: 8 * len(took)]), np.frombuffer(rows[8 * len(took) : 16 * len(took)])
    assert starts.tolist() == due[: len(took)]
    free, expected = 0.0, []
    for at, service in zip(due, took, strict=False):
        free = max(free, at) + service
        expected.append(free - at)
    # a little later each time, by what the sleep until the next one overshoots
    assert np.mean(lasted) == pytest.approx(np.mean(expected), rel=0.35)
    assert np.mean(lasted) > 1.15 * np.mean(took)


@pytest.mark.parametrize("target", TARGETS)
def test_executions_begin_when_they_are_due(target: dict[str, Any]) -> None:
    told, results, frames = played(document(target, {"kind": "open", "rate": "150 /s", "workers": 4}))
    left = 0
    for run, frame in zip(results, frames, strict=True):
        due, taken = (
            due_times(ArrivalSpec(kind="open", rate="150 /s"), 1.5, run.planned.seed),
            frame["start_s"].sort().to_list(),
        )
        assert due is not None and taken == due[: len(taken)] and len(taken) > 0.5 * len(due)
        assert frame["duration_s"].min() > 0 and not run.failed
        left += len(due) - len(taken)
    # a stall of the machine as a run ends leaves some: never silently
    assert any("taken up" in one for one in told["cautions"]) == (left > 0)
    times = ["20 ms", "200 ms", "210 ms", "900 ms", "4 s"]
    _, _, frames = played(document(target, {"kind": "recorded", "times": times}))
    assert [frame["start_s"].sort().to_list() for frame in frames] == 4 * [[0.02, 0.2, 0.21, 0.9]]


@POSTGRES
def test_more_than_the_sessions_can_take() -> None:
    stated = document({"postgresql": {"sample": "library"}}, {"kind": "open", "rate": "200 /s", "workers": 1})
    stated["workload"]["statements"] = [{"sql": "SELECT pg_sleep(0.02)"}]
    told, results, frames = played(stated)
    (caution,) = {one.split(" of ")[-1] for one in told["cautions"] if "taken up" in one}
    assert "1 session, cannot keep up" in caution
    assert all(len(frame) < 100 for frame in frames) and results[0].all["p95"] > 0.3, (
        "waiting for the session is counted"
    )


@pytest.mark.parametrize(("kind", "given"), [("steps", {"steps": [{"name": "x", "settings": {"work_mem": "1MB"}}]}), ("scaling", {"workers": [1, 2, 3]})])  # fmt: skip
def test_kinds_whose_workers_follow_themselves(kind: str, given: dict[str, Any]) -> None:
    arrival = {"kind": "open", "rate": "5 /s"}
    with pytest.raises(BadTrial, match="closed arrivals") as refused:
        read_design(document({"postgresql": {"sample": "library"}}, arrival, kind=kind, arms=[], **given))
    assert refused.value.field == "workload.arrival.kind"
