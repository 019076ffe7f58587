"""By the clock: mean response and time at every station, minute by minute, from queueing formulas."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from practice_fleet.physics.demand import LOG_RECORD_BYTES, Visits
from practice_fleet.physics.locks import Hold
from practice_fleet.physics.patience import lose_patience, wait_for_rows
from practice_fleet.physics.queueing import Array, group_commit, shared_wait, wait_mgc
from practice_fleet.physics.storage import Others, Volume
from practice_fleet.physics.wait_events import (
    EVENTS,
    EXCHANGE,
    FLUSH,
    LATCH,
    LATCH_S,
    QUEUE,
    READ,
    RUNNING,
    SEND,
    SWAP,
    TEMP,
    WORKERS,
    WRITE,
    Limits,
)
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.scenario.units import PAGE_BYTES

BUSIEST = 0.97
# how near to the limit of sessions it is looked for, and by how many halvings
SLACK, HALVINGS = 1.005, 9


@dataclass(frozen=True)
class Minutes:
    """Arrays of shape (statements, minutes) unless said otherwise; ``seconds`` has events first.

    ``rate`` is what is served (1/s), ``seconds`` the mean time per call at each event, ``variance`` of
    the response (s²) without the waits for idle sessions, which ``held`` and ``held_variance`` are of, ``failed`` the share of calls that gave up or were victims of deadlocks, ``victims`` that
    of the latter, ``refused`` calls that found no session free (1/s), ``utilisation`` by station of shape (minutes,).
    """

    rate: Array
    seconds: Array
    variance: Array
    held: Array
    held_variance: Array
    failed: Array
    victims: Array
    refused: Array
    neighbours: Others
    utilisation: dict[str, Array]

    @property
    def response(self) -> Array:
        return np.asarray(self.seconds.sum(axis=0))

    def where(self, mask: NDArray[np.bool_], other: Minutes) -> Minutes:
        """These minutes where the mask (minutes,) is true, else those of another solution of the same statements."""

        def of(mine: Array, its: Array) -> Array:
            return np.where(mask, mine, its)

        parts = {
            f.name: of(getattr(self, f.name), getattr(other, f.name))
            for f in fields(self)
            if f.name not in ("neighbours", "utilisation")
        }
        near, far = self.neighbours, other.neighbours
        return Minutes(
            **parts,
            neighbours=Others(
                of(near.requests, far.requests), of(near.channel_s, far.channel_s), of(near.gate_s, far.gate_s)
            ),
            utilisation={name: of(busy, other.utilisation[name]) for name, busy in self.utilisation.items()},
        )


def _moments(per_call: list[tuple[Array, Array, Array]], rate: Array) -> tuple[Array, Array, Array]:
    """Of visit kinds given as (visits per call, mean, second moment): arrival rate, mean, variation."""
    arrivals = sum((rate * v[:, None]).sum(axis=0) for v, _, _ in per_call)
    busy = sum((rate * (v * m)[:, None]).sum(axis=0) for v, m, _ in per_call)
    second = sum((rate * (v * q)[:, None]).sum(axis=0) for v, _, q in per_call)
    arrivals = np.maximum(arrivals, 1e-12)
    mean = busy / arrivals
    variation = np.maximum(second / arrivals / np.maximum(mean, 1e-15) ** 2 - 1, 0.0)
    return arrivals, mean, variation


class _Demands:
    """The visits of every statement as columns, and how busy they keep the stations at given rates."""

    def __init__(self, visits: list[Visits], host: HostSpec, others: Others, partitions: int) -> None:
        def column(name: str) -> Array:
            return np.array([float(getattr(v, name)) for v in visits])

        self.visits, self.host, self.others = visits, host, others
        self.cpu, self.random, self.chunk, self.temp = (
            column(n) for n in ("processor_s", "random_reads", "chunk_reads", "temp_reads")
        )
        self.swap, self.write = column("swap_reads"), column("evict_writes")
        self.chunk_s, self.log_s, self.client = (column(n) for n in ("chunk_s", "log_s", "client_s"))
        self.log_bytes, self.exchange = column("log_bytes"), column("exchange_s")
        self.commits = np.array([v.commits for v in visits], dtype=float)
        self.writes = (self.log_s > 0).astype(float)
        self.data, self.log = Volume.of(host.data_volume), Volume.of(host.log)
        self.pages = self.random + self.swap + self.write
        self.chunks = self.chunk + self.temp
        self.bursts = self.pages + self.chunks + 1
        self.latched = column("pages_requested") * LATCH_S / host.core_speed
        self.partitions = partitions

    def gates(self, volume: Volume) -> tuple[Array, Array]:
        """Gate seconds of a page and of a chunk, by statement."""
        chunk_bytes = (self.chunk_s - volume.latency_s / 2) * volume.stream_bytes_per_s
        page = np.full_like(self.cpu, volume.gate_s())
        chunk = np.array([volume.gate_s(size) for size in np.maximum(chunk_bytes, PAGE_BYTES)])
        return page, chunk

    def busy(self, rate: Array) -> dict[str, Array]:
        """Share of the time that each station is busy, were nothing refused."""

        def sum_of(per_call: Array) -> Array:
            return np.asarray((rate * per_call[:, None]).sum(axis=0))

        page_gate, chunk_gate = self.gates(self.data)
        reads = self.pages * self.data.latency_s + self.chunks * self.chunk_s
        commits = sum_of(self.writes)
        shared = commits * self.log.latency_s if self.host.log_volume is None else 0.0
        log_bytes = sum_of(self.log_bytes + LOG_RECORD_BYTES * self.writes)
        return {
            "processor": sum_of(self.cpu) / self.host.cores,
            "data volume": (sum_of(reads) + self.others.channel_s + shared) / self.data.channels,
            "data limit": sum_of(self.pages * page_gate + self.chunks * chunk_gate) + self.others.gate_s,
            "log stream": log_bytes / self.log.stream_bytes_per_s,
            "log limit": log_bytes * self.log.byte_gate_s,
            "cache latch": sum_of(self.latched) / self.partitions,
        }


def solve(
    offered: Array, visits: list[Visits], host: HostSpec, limits: Limits, own: Others | None = None,
    neighbours: Others | None = None,
    holds: Sequence[Hold | None] = (), waits: Array | None = None, start_s: Array | None = None,
    kept_after: Callable[[Array], Array] | None = None,
) -> Minutes:  # fmt: skip
    """As ``_solve``, with no more sessions at work than there may be: calls that find none free are refused, so that of what
    is offered as much is let in as the limit allows.
    """

    def at(share: Array) -> tuple[Minutes, Array]:
        found = _solve(offered * share, visits, host, limits, own, neighbours, holds, waits, start_s, kept_after)
        return found, (found.rate * found.response).sum(axis=0) > limits.max_sessions * SLACK

    least, most = np.zeros(offered.shape[1]), np.ones(offered.shape[1])
    found, over = at(most)
    if over.any():
        crowded = over
        for _ in range(HALVINGS):
            middle = np.where(crowded, (least + most) / 2, 1.0)
            found, over = at(middle)
            least, most = np.where(over, least, middle), np.where(over, middle, most)
        found, _ = at(np.where(crowded, least, 1.0))
    return replace(found, refused=np.maximum(0.0, offered - found.rate))


def _solve(
    offered: Array, visits: list[Visits], host: HostSpec, limits: Limits, own: Others | None = None,
    neighbours: Others | None = None,
    holds: Sequence[Hold | None] = (), waits: Array | None = None, start_s: Array | None = None,
    kept_after: Callable[[Array], Array] | None = None,
) -> Minutes:  # fmt: skip
    """Open network of M/G/c stations, gates, group commit and row locks; overload is capped at the busiest station.

    ``offered`` has shape (statements, minutes), calls per second; ``own`` is what the server asks of its data
    volume besides, ``neighbours`` what other servers on the same storage ask of it
    besides, by minute; ``holds`` are sessions that keep a statement's rows; ``waits`` seconds per call spent
    waiting for other servers, in the shape of ``offered``; ``start_s`` when each minute begins (s of the epoch);
    ``kept_after`` as ``wait_for_rows`` has it.
    When a station would be more than 97% busy, all rates are served in the same lower proportion, what
    others ask of the data volume too; the sessions then fill up to the limit.
    """
    none = Others.none(offered.shape[1])
    own, neighbours = own or none, neighbours or none
    d = _Demands(visits, host, own + neighbours, limits.cache_partitions)
    wanted = d.busy(offered)
    pressed = np.maximum(wanted["data volume"], wanted["data limit"])
    eased = np.minimum(1.0, BUSIEST / np.maximum(pressed, 1e-12))
    d.others, neighbours = d.others.scaled(eased), neighbours.scaled(eased)
    alone = np.stack(list(d.busy(np.zeros_like(offered)).values()))
    whole = np.stack(list(d.busy(offered).values()))
    room = np.maximum(BUSIEST - alone, 0.02) / np.maximum(whole - alone, 1e-12)
    served = np.minimum(1.0, room.min(axis=0))
    rate = offered * served[None, :]

    burst_s = d.cpu / d.bursts
    queue = d.cpu[:, None] * shared_wait(host.cores, (rate * d.cpu[:, None]).sum(axis=0))
    read_wait, log_share = _data_wait(d, rate)
    flush = _flush(d, rate, log_share)

    seconds = np.zeros((len(EVENTS), *rate.shape))
    seconds[RUNNING] = d.cpu[:, None]
    seconds[QUEUE] = queue
    latency = d.data.latency_s
    seconds[READ] = (d.random * latency + d.chunk * d.chunk_s)[:, None] + (d.random + d.chunk)[:, None] * read_wait
    seconds[WRITE] = d.write[:, None] * (latency + read_wait)
    seconds[SWAP] = d.swap[:, None] * (latency + read_wait)
    seconds[TEMP] = (d.temp * d.chunk_s)[:, None] + d.temp[:, None] * read_wait
    seconds[FLUSH] = d.commits[:, None] * flush
    seconds[SEND] = d.client[:, None]
    seconds[EXCHANGE] = d.exchange[:, None]
    if waits is not None:
        seconds[WORKERS] = waits
    latch = (rate * d.latched[:, None]).sum(axis=0) / d.partitions
    seconds[LATCH] = d.latched[:, None] * latch / (1 - np.minimum(latch, BUSIEST))
    variance = (
        d.bursts[:, None] * (burst_s**2)[:, None]
        + (d.pages + d.chunks)[:, None] * (latency + read_wait) ** 2
        + (d.commits[:, None] * flush / 2) ** 2
        + queue**2 / np.maximum(d.bursts[:, None], 1)
    )
    starts: Array = np.arange(offered.shape[1]) * np.float64(60) if start_s is None else start_s
    rows = wait_for_rows(seconds, variance, rate, visits, holds, limits, starts, kept_after)

    work = seconds.sum(axis=0)
    sessions = (rate * work).sum(axis=0)
    limit = np.where(served < 1, limits.max_sessions, np.minimum(sessions, limits.max_sessions))
    _queue_up(seconds, rate, d, limit / np.maximum(sessions, 1e-12))
    failed = lose_patience(seconds, variance, rows, limits.statement_timeout_s)
    use = d.busy(rate)
    log_rate = (rate * d.writes[:, None]).sum(axis=0)
    log_mean = (rate * (d.writes * d.log_s)[:, None]).sum(axis=0) / np.maximum(log_rate, 1e-12)
    use["log volume"] = np.maximum(np.minimum(1.0, log_rate * log_mean), use.pop("log stream"))
    return Minutes(
        rate, seconds, variance, rows.held, rows.held_variance, failed, rows.victims, np.zeros_like(rate), neighbours, use
    )  # fmt: skip


def _data_wait(d: _Demands, rate: Array) -> tuple[Array, Array]:
    """Mean wait of a request to the data volume, and of a log write that shares it."""
    latency, c = d.data.latency_s, d.data.channels
    ones = np.full_like(d.cpu, 1.0)
    kinds = [
        (d.pages, latency * ones, 2 * latency**2 * ones),
        (d.chunks, d.chunk_s, 2 * d.chunk_s**2),
    ]
    arrivals, mean, variation = _moments(kinds, rate)
    all_rate = arrivals + d.others.requests
    mean = (arrivals * mean + d.others.channel_s) / all_rate
    wait = wait_mgc(c, all_rate, mean, variation)
    page_gate, chunk_gate = d.gates(d.data)
    if page_gate.any():
        arrivals, mean, _ = _moments([(d.pages, page_gate, page_gate**2), (d.chunks, chunk_gate, chunk_gate**2)], rate)
        mean = (arrivals * mean + d.others.gate_s) / all_rate
        wait = wait + mean + wait_mgc(1, all_rate, mean, 0.0)
    return wait, (wait if d.host.log_volume is None else np.zeros_like(wait))


def _flush(d: _Demands, rate: Array, shared_wait: Array) -> Array:
    """Mean time of a commit's log write: grouped, behind the log volume's limit, behind reads if it is shared."""
    log_rate = (rate * d.writes[:, None]).sum(axis=0)
    log_mean = (rate * (d.writes * d.log_s)[:, None]).sum(axis=0) / np.maximum(log_rate, 1e-12)
    flush = group_commit(log_rate, np.maximum(log_mean, d.log.operation_gate_s) + shared_wait)
    if d.log.byte_gate_s:
        size = (rate * (d.log_bytes + LOG_RECORD_BYTES * d.writes)[:, None]).sum(axis=0) / np.maximum(log_rate, 1e-12)
        gate = size * d.log.byte_gate_s
        flush = flush + gate + wait_mgc(1, log_rate, gate, 0.0)
    return np.asarray(flush)


def _queue_up(seconds: Array, rate: Array, d: _Demands, factor: Array) -> None:
    """Stretch the waits at the busiest station until the sessions hold what the limit allows."""
    use = d.busy(rate)
    at = {
        "processor": QUEUE, "data volume": READ, "data limit": READ, "log stream": FLUSH, "log limit": FLUSH,
        "cache latch": LATCH,
    }  # fmt: skip
    names = list(use)
    busiest = np.argmax(np.stack([use[name] for name in names]), axis=0)
    work = seconds.sum(axis=0)
    for number, name in enumerate(names):
        here = (busiest == number) & (factor > 1)
        if not here.any():
            continue
        event = at[name]
        visits = seconds[event] > 0
        extra = np.where(visits & here[None, :], work * (factor - 1)[None, :], 0.0)
        lost = (rate * work).sum(axis=0) * (factor - 1)
        given = np.maximum((rate * extra).sum(axis=0), 1e-12)
        seconds[event] += np.where(here[None, :], extra * (lost / given)[None, :], 0.0)
