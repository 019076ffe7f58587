"""Queueing against published formulas, and the event model against both.

Sources: Erlang C; Lazowska, Zahorjan, Graham and Sevcik, "Quantitative System Performance", ch. 3
(Little's law, utilisation law) and ch. 6 (mean value analysis example; figures from memory, recomputed
here); ciw for an independent simulation.
"""

import ciw
import numpy as np
import pytest

from hardy_gauge.probes.protocol import Arrival
from practice_fleet.events.run import Run
from practice_fleet.physics.clock import solve
from practice_fleet.physics.demand import Visits
from practice_fleet.physics.queueing import closed_network, erlang_c, group_commit, shared_wait, wait_mgc
from practice_fleet.physics.wait_events import Limits
from practice_fleet.scenario.hardware import HostSpec, VolumeSpec
from tests.conftest import length

VOLUME = VolumeSpec(capacity=10**12, used=10**9, growth_per_day=1, channels=1, latency_s=1.0, stream_bytes_per_s=10**9)


def host(cores: int, channels: int = 1, latency_s: float = 1.0) -> HostSpec:
    data = VOLUME.model_copy(update={"channels": channels, "latency_s": latency_s})
    return HostSpec(cores=cores, memory=2**34, data_volume=data, log_volume=VOLUME, network_latency_s=0)


def visits(**figures: float | bool | None) -> Visits:
    blank = dict.fromkeys(Visits.__dataclass_fields__, 0.0) | {
        "commits": False,
        "hot_rows": None,
        "locked_rows": 1,
        "same_order": True,
    }
    return Visits(**(blank | figures))  # type: ignore[arg-type]


def test_erlang_c_published_values() -> None:
    assert float(erlang_c(3, 2.0)) == pytest.approx(4 / 9, rel=1e-12)
    assert 1 + float(wait_mgc(1, 0.8, 1.0)) == pytest.approx(5.0, rel=1e-12), "M/M/1 at 80%: response 5"


def test_mean_value_analysis_example() -> None:
    rows = closed_network([0.605, 2.1, 1.35], think=15, customers=3)
    assert [(round(r, 3), round(x, 4)) for r, x, _ in rows] == [(4.055, 0.0525), (4.401, 0.1031), (4.800, 0.1515)]


def test_events_match_erlang_c() -> None:
    """One processor-bound class on four cores at 75%: mean response within 5% of Erlang C."""
    run = Run(host(4), [visits(processor_s=0.02)], [1], Arrival(kind="open", rate_per_s=150), Limits(10_000), seed=1)
    result = run.play(length(1500, 600))
    theory = 0.02 + float(wait_mgc(4, 150, 0.02))
    assert result.executions["duration_s"].mean() == pytest.approx(theory, rel=0.05)
    assert result.utilisation["processor"] == pytest.approx(0.75, rel=0.03)


def test_events_match_an_independent_simulation() -> None:
    network = ciw.create_network(
        arrival_distributions=[ciw.dists.Exponential(30)], service_distributions=[ciw.dists.Exponential(12.5)],
        number_of_servers=[3],
    )  # fmt: skip
    ciw.seed(4)
    simulation = ciw.Simulation(network)
    simulation.simulate_until_max_time(1500)
    theirs = np.mean([r.waiting_time + r.service_time for r in simulation.get_all_records()])
    run = Run(host(3), [visits(processor_s=0.08)], [1], Arrival(kind="open", rate_per_s=30), Limits(10_000), seed=4)
    assert run.play(1500).executions["duration_s"].mean() == pytest.approx(theirs, rel=0.06)


def test_events_match_exact_mean_value_analysis() -> None:
    """A closed network of a core and a volume, exponential everywhere: within 3%."""
    demand_cpu, demand_io, think, workers = 0.02, 0.03, 0.2, 8
    one_read = visits(processor_s=demand_cpu, random_reads=1)
    arrival = Arrival(kind="closed", workers=workers, think_s=think)
    result = Run(host(1, 1, demand_io), [one_read], [1], arrival, Limits(100), seed=3).play(3000)
    response, throughput, _ = closed_network([demand_cpu, demand_io], think, workers)[-1]
    assert len(result.executions) / 3000 == pytest.approx(throughput, rel=0.03)
    assert result.executions["duration_s"].mean() == pytest.approx(response, rel=0.03)


def test_littles_law_and_utilisation_law_hold() -> None:
    mix = [visits(processor_s=0.004, random_reads=3), visits(processor_s=0.05)]
    seconds = length(3000, 1000)
    run = Run(host(2, 4, 0.002), mix, [5, 1], Arrival(kind="open", rate_per_s=60), Limits(1000), seed=8)
    result = run.play(seconds)
    throughput = len(result.executions) / seconds
    in_system = throughput * result.executions["duration_s"].mean()
    assert len(result.samples) / seconds == pytest.approx(in_system, rel=0.05), "sampled sessions = rate × response"
    busy = throughput * (5 * 0.004 + 0.05) / 6 / 2
    assert result.utilisation["processor"] == pytest.approx(busy, rel=0.05)


def test_group_commit_formula_against_its_event_model() -> None:
    write = visits(log_s=0.004, log_bytes=1.0, commits=True)
    for rate in (20, 150, 600):
        result = Run(host(64), [write], [1], Arrival(kind="open", rate_per_s=rate), Limits(10_000), seed=2).play(200)
        assert result.executions["wait.log_flush"].mean() == pytest.approx(float(group_commit(rate, 0.004)), rel=0.03)


def test_one_seed_one_history() -> None:
    def once(seed: int) -> object:
        mix = [visits(processor_s=0.004, random_reads=2.5, log_s=0.001, commits=True, hot_rows=3)]
        return (
            Run(host(2, 4, 0.002), mix, [1], Arrival(kind="open", rate_per_s=80), Limits(1000), seed)
            .play(20)
            .executions
        )

    assert once(5).equals(once(5))  # type: ignore[attr-defined]
    assert not once(5).equals(once(6))  # type: ignore[attr-defined]


@pytest.mark.parametrize("cores", [1, 4])
def test_short_and_long_work_are_stretched_alike(cores: int) -> None:
    """M/G/c processor sharing is insensitive (Kleinrock 2, 4.4): of work of 2 ms and of 400 ms, at 70% busy, each takes the same
    multiple of its own service; on one core 1 ÷ (1 − 0.7).
    """
    work = [visits(processor_s=0.002), visits(processor_s=0.4)]
    shares = [0.99, 0.01]
    mean = sum(s * v.processor_s for s, v in zip(shares, work, strict=True))
    rate = 0.7 * cores / mean
    run = Run(host(cores), work, shares, Arrival(kind="open", rate_per_s=rate), Limits(10_000), seed=3)
    result = run.play(900).executions
    stretch = 1 + float(shared_wait(cores, rate * mean))
    for number, one in enumerate(work):
        took = result.filter(result["statement"] == number)["duration_s"].mean()
        assert took == pytest.approx(stretch * one.processor_s, rel=0.15), number
    if cores == 1:
        assert stretch == pytest.approx(1 / 0.3)


@pytest.mark.parametrize(("busy", "within"), [(0.5, 0.1), (0.75, 0.1), (0.93, 0.25)])
def test_clock_and_events_agree_on_mixed_work(busy: float, within: float) -> None:
    """Lookups of a millisecond beside reports of half a second, sharing four cores."""
    work = [visits(processor_s=0.001), visits(processor_s=0.5), visits(processor_s=0.02)]
    shares = np.array([0.95, 0.002, 0.048])
    mean = float(sum(s * v.processor_s for s, v in zip(shares, work, strict=True)))
    rate = busy * 4 / mean
    clock = solve((rate * shares)[:, None], work, host(4), Limits(10_000))
    result = Run(host(4), work, shares.tolist(), Arrival(kind="open", rate_per_s=rate), Limits(10_000), seed=5).play(
        length(1200, 300)
    )
    by_clock = float((clock.rate * clock.response).sum() / clock.rate.sum())
    assert result.executions["duration_s"].mean() == pytest.approx(by_clock, rel=within)


def test_no_more_sessions_than_there_may_be() -> None:
    """Three times as much as four cores can do: sessions fill to the limit, and what finds none free is refused and counted."""
    work, rate, limit = [visits(processor_s=0.02)], 600.0, 50
    clock = solve(np.array([[rate]]), work, host(4), Limits(limit))
    sessions = float((clock.rate * clock.response).sum())
    assert 0.9 * limit <= sessions <= 1.01 * limit
    assert float(clock.refused.sum()) == pytest.approx(rate - float(clock.rate.sum()))
    run = Run(host(4), work, [1], Arrival(kind="open", rate_per_s=rate), Limits(limit), seed=2)
    result = run.play(120)
    seen = result.samples.group_by("tick_s").len()["len"]
    assert seen.max() <= limit
    assert run.machine.refused / 120 == pytest.approx(float(clock.refused.sum()), rel=0.1)
