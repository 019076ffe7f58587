"""By events: the same stations as by the clock, execution by execution, with real queues, pages and locks (SimPy)."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import simpy

from hardy_gauge.probes.protocol import Arrival
from practice_fleet.events.checkpoint import Checkpointer
from practice_fleet.events.pages import Found, Pages
from practice_fleet.events.randoms import Randoms
from practice_fleet.events.result import Result, result_of
from practice_fleet.events.stations import Gate, LogWriter, Station, Steps
from practice_fleet.physics.clock import EVENTS, FLUSH, FULL, LOCK, QUEUE, READ, RUNNING, SEND, SWAP, TEMP, WRITE
from practice_fleet.physics.demand import SYSTEM_HIT_S, Visits
from practice_fleet.physics.storage import Volume
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.scenario.units import PAGE_BYTES

NOBODY = -1


@dataclass(frozen=True)
class Store:
    """What a run keeps pages in, when it follows them one by one; without it reads are drawn from the averages.

    ``pace`` is a first guess of calls per second ÷ the sum of the weights; ``age_s`` how long ago the last
    checkpoint began when the run starts, and ``log_used`` the bytes of log since then.
    """

    pages: Pages
    log_capacity: float
    checkpoint_interval_s: float
    checkpoint_spread: float
    background_write_rate: float
    read_ahead_pages: float
    pace: float
    age_s: float
    log_used: float


@dataclass
class Run:
    """One run of a workload on one host; ``weights`` are statement shares in the order of ``visits``."""

    host: HostSpec
    visits: list[Visits]
    weights: list[float]
    arrival: Arrival
    max_sessions: int
    seed: int
    store: Store | None = None
    env: simpy.Environment = field(default_factory=simpy.Environment)

    def __post_init__(self) -> None:
        self.random = Randoms([self.seed, 0])
        self.arriving = Randoms([self.seed, 1])
        self.cores = Station(self.env, self.host.cores)
        self.volume = Volume.of(self.host.data_volume)
        self.data = Station(self.env, self.volume.channels)
        self.gate = Gate(self.env)
        self.log = LogWriter(self.env, Volume.of(self.host.log), self._log_through)
        self.sessions = simpy.Resource(self.env, self.max_sessions)
        self.rows: dict[tuple[int, int], simpy.Resource] = {}
        self.holders: dict[tuple[int, int], int] = {}
        self.shares = np.cumsum(np.array(self.weights) / sum(self.weights))
        self.active: dict[int, list[int]] = {}
        self.finished: list[tuple[float, ...]] = []
        self.samples: list[tuple[int, int, int, int, int]] = []
        self.ticks: list[tuple[int, int, int, float, int, int]] = []
        self.pages_read = self.pages_written = 0
        self.log_bytes = 0.0
        self.checkpointer = None
        if self.store is not None:
            store = self.store
            self.checkpointer = Checkpointer(
                self.env, store.pages, self._page_write, store.log_capacity, store.checkpoint_interval_s,
                store.checkpoint_spread, self._pace,
            )  # fmt: skip
            self.background_free_at = 0.0
            self.checkpointer.log_bytes = store.log_used

    def play(self, seconds: float, progress: Callable[[float], bool] = lambda _: True) -> Result:
        """Run for ``seconds`` of simulated time; ``progress`` is told each second and may return False to stop."""
        arrival = self.arrival
        if arrival.kind == "open":
            self.env.process(self._arrivals(float(arrival.rate_per_s or 1.0)))
        elif arrival.kind == "recorded":
            self.env.process(self._recorded(arrival.times_s))
        else:
            for worker in range(arrival.workers or 1):
                self.env.process(self._worker(worker))
        self.env.process(self._sampler())
        if self.checkpointer is not None:
            self.env.process(self.checkpointer.run(self.store.age_s if self.store else 0.0))
        done = 0.0
        while done < seconds:
            done = min(seconds, done + 1.0)
            self.env.run(until=done)
            if not progress(done):
                break
        return self._result(done)

    # arrivals -------------------------------------------------------------------------------------

    def _pick(self, random: Randoms) -> int:
        return min(int(np.searchsorted(self.shares, random.uniform())), len(self.visits) - 1)

    def _arrivals(self, rate: float) -> Steps:
        for number in itertools.count(1):
            yield self.env.timeout(self.arriving.exponential(1 / rate))
            self.env.process(self._in_session(number, self._pick(self.arriving)))

    def _recorded(self, times_s: list[float]) -> Steps:
        for number, at in enumerate(times_s, 1):
            if at > self.env.now:
                yield self.env.timeout(at - self.env.now)
            self.env.process(self._in_session(number, self._pick(self.arriving)))

    def _in_session(self, number: int, statement: int) -> Steps:
        with self.sessions.request() as session:
            arrived = self.env.now
            yield session
            yield from self._execute(number, statement, arrived)

    def _worker(self, number: int) -> Steps:
        arrival = self.arrival
        random = Randoms([self.seed, 2, number], block=256)
        for turn in itertools.count():
            pause = _pause(arrival, random)
            if pause:
                yield self.env.timeout(pause)
            if arrival.order == "file":
                statement = turn % len(self.visits)
            elif arrival.order == "own":
                statement = number % len(self.visits)
            else:
                statement = self._pick(random)
            yield from self._execute(number, statement, self.env.now)

    def _pace(self) -> float:
        """Calls done per second ÷ the sum of the weights: how much faster than the weights say it goes."""
        guess = self.store.pace if self.store else 1.0
        return (len(self.finished) / sum(self.weights) + guess) / (self.env.now + 1.0)

    def _sampler(self) -> Steps:
        for tick in itertools.count(1):
            yield self.env.timeout(1.0)
            self.samples += [(tick, number, *where) for number, where in self.active.items()]
            done = self.checkpointer
            counts = (done.started, done.forced) if done else (0, 0)
            self.ticks.append((tick, self.pages_read, self.pages_written, self.log_bytes, *counts))

    # one execution --------------------------------------------------------------------------------

    def _execute(self, number: int, statement: int, arrived: float) -> Steps:
        env, random, visit = self.env, self.random, self.visits[statement]
        spent = [0.0] * len(EVENTS)
        where = self.active[number] = [statement, QUEUE, NOBODY]
        lock = request = None
        if visit.hot_rows:
            key = (statement, int(random.uniform() * visit.hot_rows))
            lock = self.rows.setdefault(key, simpy.Resource(env, 1))
            request = lock.request()
            where[1], where[2] = LOCK, self.holders.get(key, NOBODY)
            yield request
            where[2] = NOBODY
            self.holders[key] = number
            spent[LOCK] = env.now - arrived
        reads, processor_s, log_bytes = self._pages_of(visit)
        burst = processor_s / (sum(count for count, _, _, _ in reads) + 1)
        yield from self._visit(self.cores, random.exponential(burst), where, spent, QUEUE, RUNNING)
        for count, service, size, event in reads:
            for _ in range(count):
                yield from self._request(random.exponential(service), size, where, spent, event)
                yield from self._visit(self.cores, random.exponential(burst), where, spent, QUEUE, RUNNING)
        if log_bytes:
            yield from self._log(visit, log_bytes, where, spent)
        if lock is not None and request is not None:
            lock.release(request)
        where[1] = SEND
        yield env.timeout(visit.client_s)
        spent[SEND] = visit.client_s
        del self.active[number]
        self.finished.append((arrived, env.now - arrived, statement, *spent))

    def _pages_of(self, visit: Visits) -> tuple[list[tuple[int, float, float, int]], float, float]:
        """Requests to the data volume as (count, seconds, bytes, event), processor seconds, and log bytes."""
        whole, latency, page = self.random.whole, self.host.data_volume.latency_s, float(PAGE_BYTES)
        chunk_bytes = (visit.chunk_s - latency / 2) * self.volume.stream_bytes_per_s
        others = [
            (whole(visit.temp_reads), visit.chunk_s, chunk_bytes, TEMP),
            (whole(visit.swap_reads), latency, page, SWAP),
        ]
        if self.store is None:
            reads = [
                (whole(visit.random_reads), latency, page, READ),
                (whole(visit.chunk_reads), visit.chunk_s, chunk_bytes, READ),
                (whole(visit.evict_writes), latency, page, WRITE),
            ]
            return [r for r in reads + others if r[0]], visit.processor_s, visit.log_bytes
        pages, found, in_order = self.store.pages, Found(), 0
        for name, mean in visit.random.items():
            pages.ask(name, whole(mean), found)
        for name, mean in visit.stream.items():
            in_order += pages.scan(name, mean, found)
        images = sum(pages.change(name, whole(mean)) for name, mean in visit.changed.items())
        self.pages_read += found.read + in_order
        chunks = whole(in_order / self.store.read_ahead_pages)
        by_session = self._left_to_session(found.evicted)
        reads = [
            (found.read, latency, page, READ),
            (chunks, visit.chunk_s, chunk_bytes, READ),
            (by_session, latency, page, WRITE),
        ]
        self.pages_written += by_session
        processor = visit.processor_s + (found.system - visit.system_hits) * SYSTEM_HIT_S / self.host.core_speed
        log_bytes = visit.record_bytes + images * PAGE_BYTES if visit.record_bytes else 0.0
        return [r for r in reads + others if r[0]], max(processor, 1e-9), log_bytes

    def _left_to_session(self, evicted: int) -> int:
        """Of the changed pages that had to go, those that the background writer has no time for."""
        rate = self.store.background_write_rate if self.store else 0.0
        left = 0
        for _ in range(evicted):
            if rate and self.background_free_at <= self.env.now + 1.0:
                self.background_free_at = max(self.background_free_at, self.env.now) + 1 / rate
                self.env.process(self._page_write())
            else:
                left += 1
        return left

    def _log(self, visit: Visits, size: float, where: list[int], spent: list[float]) -> Steps:
        """Write the log; a commit waits for it, and all wait while the log is full."""
        env, checkpoint = self.env, self.checkpointer
        if checkpoint is not None:
            since = env.now
            while checkpoint.full:
                where[1] = FULL
                yield env.timeout(0.05)
            spent[FULL] += env.now - since
            checkpoint.log_bytes += size
        self.log_bytes += size
        seconds = visit.log_s + (size - visit.log_bytes) / self.log.volume.stream_bytes_per_s
        written = self.log.write(seconds, size)
        if visit.commits:
            where[1] = FLUSH
            since = env.now
            yield written
            spent[FLUSH] = env.now - since

    def _request(self, service: float, size: float, where: list[int], spent: list[float], event: int) -> Steps:
        """One request to the data volume: through its gate, then on one of its channels."""
        gate = self.volume.gate_s(size)
        if gate:
            where[1] = event
            delay = self.gate.delay(gate)
            yield self.env.timeout(delay)
            spent[event] += delay
        yield from self._visit(self.data, service, where, spent, event, event)

    def _visit(
        self, station: Station, service: float, where: list[int], spent: list[float], waiting: int, served: int
    ) -> Steps:
        env = self.env
        turn = station.take()
        if turn is not None:
            since = env.now
            where[1] = waiting
            yield turn
            spent[waiting] += env.now - since
        where[1] = served
        yield env.timeout(service)
        station.give()
        station.busy_s += service
        spent[served] += service

    def _page_write(self) -> Steps:
        """One changed page to the data volume, behind nobody's back."""
        self.pages_written += 1
        latency = self.host.data_volume.latency_s
        blank = [0.0] * len(EVENTS)
        yield from self._request(self.random.exponential(latency), PAGE_BYTES, [0, 0, 0], blank, WRITE)

    def _log_through(self, seconds: float) -> Steps:
        """A log write takes its time alone, or a channel of the data volume when they share it."""
        if self.host.log_volume is None:
            yield from self._visit(self.data, seconds, [0, 0, 0], [0.0] * len(EVENTS), WRITE, WRITE)
        else:
            yield self.env.timeout(seconds)

    def _result(self, seconds: float) -> Result:
        span = max(seconds, 1e-9)
        use = {
            "processor": self.cores.busy_s / span / self.host.cores,
            "data volume": self.data.busy_s / span / self.volume.channels,
            "log volume": self.log.busy_s / span,
        }
        if self.volume.gate_s():
            use["data limit"] = self.gate.busy_s / span
        if self.log.volume.gate_s():
            use["log limit"] = self.log.gate.busy_s / span
        return result_of(self.finished, self.samples, self.ticks, use, seconds)


def _pause(arrival: Arrival, random: Randoms) -> float:
    if arrival.think == "uniform":
        return arrival.think_s + (max(arrival.think_most_s, arrival.think_s) - arrival.think_s) * random.uniform()
    if not arrival.think_s:
        return 0.0
    return arrival.think_s if arrival.think == "fixed" else random.exponential(arrival.think_s)
