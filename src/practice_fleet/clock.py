"""By the clock: mean response and time at every station, minute by minute, from queueing formulas."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from practice_fleet.demand import Visits
from practice_fleet.queueing import Array, group_commit, wait_lock, wait_mgc
from practice_fleet.scenario import HostSpec

EVENTS = ("running", "run_queue", "page_read", "temp_file", "log_flush", "row_lock", "send_rows")
BUSIEST = 0.97
DIRTY_COALESCED = 0.5


@dataclass(frozen=True)
class Minutes:
    """Arrays of shape (statements, minutes) unless said otherwise; ``seconds`` has events first.

    ``rate`` is what is served (1/s), ``seconds`` the mean time per call at each event, ``variance`` of
    the response (s²), ``utilisation`` by station of shape (minutes,).
    """

    rate: Array
    seconds: Array
    variance: Array
    utilisation: dict[str, Array]

    @property
    def response(self) -> Array:
        return np.asarray(self.seconds.sum(axis=0))


def _moments(per_call: list[tuple[Array, Array, Array]], rate: Array) -> tuple[Array, Array, Array]:
    """Of visit kinds given as (visits per call, mean, second moment): arrival rate, mean, variation."""
    arrivals = sum((rate * v[:, None]).sum(axis=0) for v, _, _ in per_call)
    busy = sum((rate * (v * m)[:, None]).sum(axis=0) for v, m, _ in per_call)
    second = sum((rate * (v * q)[:, None]).sum(axis=0) for v, _, q in per_call)
    arrivals = np.maximum(arrivals, 1e-12)
    mean = busy / arrivals
    variation = np.maximum(second / arrivals / np.maximum(mean, 1e-15) ** 2 - 1, 0.0)
    return arrivals, mean, variation


def solve(offered: Array, visits: list[Visits], host: HostSpec, max_sessions: float) -> Minutes:
    """Open network of M/G/c stations, group commit and row locks; overload is capped at the busiest station.

    ``offered`` has shape (statements, minutes), calls per second. When a station would be more than 97%
    busy, all rates are served in the same lower proportion; the sessions then fill up to ``max_sessions``.
    """

    def column(name: str) -> Array:
        return np.array([float(getattr(v, name)) for v in visits])

    cpu, random, chunk, temp = (column(n) for n in ("processor_s", "random_reads", "chunk_reads", "temp_reads"))
    chunk_s, log_s, dirty, client = (column(n) for n in ("chunk_s", "log_s", "dirty", "client_s"))
    commits = np.array([v.commits for v in visits], dtype=float)
    writes = np.array([v.log_s > 0 for v in visits], dtype=float)
    data, latency = host.data_volume, host.data_volume.latency_s
    bursts = random + chunk + temp + 1

    def busy(rate: Array) -> dict[str, Array]:
        reads = random * latency + (chunk + temp) * chunk_s + dirty * DIRTY_COALESCED * latency
        return {
            "processor": (rate * cpu[:, None]).sum(axis=0) / host.cores,
            "data volume": (rate * reads[:, None]).sum(axis=0) / data.channels,
        }

    top = np.max(np.stack(list(busy(offered).values())), axis=0)
    served = np.minimum(1.0, BUSIEST / np.maximum(top, 1e-12))
    rate = offered * served[None, :]

    burst_s = cpu / bursts
    arrivals, mean, variation = _moments([(bursts, burst_s, 2 * burst_s**2)], rate)
    queue = wait_mgc(host.cores, arrivals, mean, variation)

    kinds = [
        (random + dirty * DIRTY_COALESCED, np.full_like(cpu, latency), np.full_like(cpu, 2 * latency**2)),
        (chunk + temp, chunk_s, 2 * chunk_s**2),
    ]
    arrivals, mean, variation = _moments(kinds, rate)
    read_wait = wait_mgc(data.channels, arrivals, mean, variation)

    log_rate = (rate * writes[:, None]).sum(axis=0)
    log_mean = (rate * (writes * log_s)[:, None]).sum(axis=0) / np.maximum(log_rate, 1e-12)
    flush = group_commit(log_rate, log_mean)

    seconds = np.zeros((len(EVENTS), *rate.shape))
    seconds[0] = cpu[:, None]
    seconds[1] = bursts[:, None] * queue
    seconds[2] = (random * latency + chunk * chunk_s)[:, None] + (random + chunk)[:, None] * read_wait
    seconds[3] = (temp * chunk_s)[:, None] + temp[:, None] * read_wait
    seconds[4] = commits[:, None] * flush
    seconds[6] = client[:, None]
    for number, visit in enumerate(visits):
        if visit.hot_rows:
            hold = seconds[0:5, number].sum(axis=0)
            seconds[5, number] = wait_lock(rate[number] / visit.hot_rows, hold)

    work = seconds.sum(axis=0)
    sessions = (rate * work).sum(axis=0)
    limit = np.where(served < 1, max_sessions, sessions)
    seconds[2] += np.where(
        rate > 0, seconds[2] / np.maximum(work, 1e-12) * work * (limit / np.maximum(sessions, 1e-12) - 1), 0
    )
    variance = (
        2 * bursts[:, None] * (burst_s**2)[:, None] / 2
        + (random + chunk + temp)[:, None] * (latency + read_wait) ** 2
        + (commits[:, None] * flush / 2) ** 2
        + (bursts[:, None] * queue) ** 2 / np.maximum(bursts[:, None], 1)
    )
    use = busy(rate) | {"log volume": np.minimum(1.0, log_rate * log_mean)}
    return Minutes(rate, seconds, variance, use)
