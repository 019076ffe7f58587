"""By events: the same stations as by the clock, execution by execution, with real queues (SimPy)."""

from __future__ import annotations

from collections.abc import Callable, Generator
from dataclasses import dataclass, field

import numpy as np
import polars as pl
import simpy

from hardy_gauge.probes.protocol import Arrival
from practice_fleet.clock import DIRTY_COALESCED, EVENTS
from practice_fleet.demand import Visits
from practice_fleet.scenario import HostSpec

RUNNING, QUEUE, READ, TEMP, FLUSH, LOCK, SEND = range(len(EVENTS))
Steps = Generator[simpy.Event, object, None]


class Randoms:
    """Exponential and uniform draws, taken from the generator in blocks."""

    def __init__(self, seed: int) -> None:
        self._rng = np.random.default_rng(seed)
        self._exponential = iter(())
        self._uniform = iter(())

    def exponential(self, mean: float) -> float:
        for value in self._exponential:
            return value * mean
        self._exponential = iter(self._rng.standard_exponential(8192).tolist())
        return self.exponential(mean)

    def uniform(self) -> float:
        for value in self._uniform:
            return value
        self._uniform = iter(self._rng.random(8192).tolist())
        return self.uniform()

    def whole(self, mean: float) -> int:
        """A whole number of visits with this mean: the floor, or one more."""
        return int(mean + self.uniform())


class LogWriter:
    """One write at a time serves every commit that was waiting when it began."""

    def __init__(self, env: simpy.Environment, busy: Callable[[float], None]) -> None:
        self.env, self.busy = env, busy
        self.waiting: list[tuple[simpy.Event, float]] = []
        self.writing = False

    def write(self, seconds: float) -> simpy.Event:
        done = self.env.event()
        self.waiting.append((done, seconds))
        if not self.writing:
            self.writing = True
            self.env.process(self._run())
        return done

    def _run(self) -> Steps:
        while self.waiting:
            batch, self.waiting = self.waiting, []
            seconds = max(s for _, s in batch)
            yield self.env.timeout(seconds)
            self.busy(seconds)
            for done, _ in batch:
                done.succeed()
        self.writing = False


@dataclass
class Station:
    """Parallel servers with one queue; ``busy_s`` adds up service given."""

    resource: simpy.Resource
    busy_s: float = 0.0


@dataclass
class Result:
    """Executions (start_s, duration_s, statement, one column a wait event), samples, station utilisation."""

    executions: pl.DataFrame
    samples: pl.DataFrame
    utilisation: dict[str, float]
    seconds: float


@dataclass
class Run:
    """One run of a workload on one host; ``weights`` are statement shares in the order of ``visits``."""

    host: HostSpec
    visits: list[Visits]
    weights: list[float]
    arrival: Arrival
    max_sessions: int
    seed: int
    env: simpy.Environment = field(default_factory=simpy.Environment)

    def __post_init__(self) -> None:
        self.random = Randoms(self.seed)
        self.cores = Station(simpy.Resource(self.env, self.host.cores))
        self.data = Station(simpy.Resource(self.env, self.host.data_volume.channels))
        self.log_busy = 0.0
        self.log = LogWriter(self.env, self._log_written)
        self.sessions = simpy.Resource(self.env, self.max_sessions)
        self.rows: dict[tuple[int, int], simpy.Resource] = {}
        self.shares = np.cumsum(np.array(self.weights) / sum(self.weights))
        self.active: dict[int, list[int]] = {}
        self.finished: list[tuple[float, ...]] = []
        self.samples: list[tuple[int, int, int, int]] = []

    def play(self, seconds: float, progress: Callable[[float], bool] = lambda _: True) -> Result:
        """Run for ``seconds`` of simulated time; ``progress`` is told each second and may return False to stop."""
        if self.arrival.kind == "open":
            self.env.process(self._arrivals(float(self.arrival.rate_per_s or 1.0)))
        else:
            for worker in range(self.arrival.workers or 1):
                self.env.process(self._worker(worker))
        self.env.process(self._sampler())
        done = 0.0
        while done < seconds:
            done = min(seconds, done + 1.0)
            self.env.run(until=done)
            if not progress(done):
                break
        return self._result(done)

    # arrivals -------------------------------------------------------------------------------------

    def _pick(self) -> int:
        return int(np.searchsorted(self.shares, self.random.uniform()))

    def _arrivals(self, rate: float) -> Steps:
        number = 0
        while True:
            yield self.env.timeout(self.random.exponential(1 / rate))
            number += 1
            self.env.process(self._in_session(number))

    def _in_session(self, number: int) -> Steps:
        with self.sessions.request() as session:
            arrived = self.env.now
            yield session
            yield from self._execute(number, self._pick(), arrived)

    def _worker(self, number: int) -> Steps:
        while True:
            think = self.arrival.think_s
            if think:
                fixed = self.arrival.think == "fixed"
                yield self.env.timeout(think if fixed else self.random.exponential(think))
            yield from self._execute(number, self._pick(), self.env.now)

    def _sampler(self) -> Steps:
        tick = 0
        while True:
            yield self.env.timeout(1.0)
            tick += 1
            self.samples += [(tick, number, where[0], where[1]) for number, where in self.active.items()]

    # one execution --------------------------------------------------------------------------------

    def _execute(self, number: int, statement: int, arrived: float) -> Steps:
        env, random, visit = self.env, self.random, self.visits[statement]
        spent = [0.0] * len(EVENTS)
        where = self.active[number] = [statement, QUEUE]
        lock = request = None
        if visit.hot_rows:
            key = (statement, int(random.uniform() * visit.hot_rows))
            lock = self.rows.setdefault(key, simpy.Resource(env, 1))
            request = lock.request()
            where[1] = LOCK
            yield request
            spent[LOCK] = env.now - arrived
        counts = (
            random.whole(visit.random_reads),
            random.whole(visit.chunk_reads),
            random.whole(visit.temp_reads),
        )
        services = (self.host.data_volume.latency_s, visit.chunk_s, visit.chunk_s)
        burst = visit.processor_s / (sum(counts) + 1)
        yield from self._visit(self.cores, random.exponential(burst), where, spent, QUEUE, RUNNING)
        for kind, count in enumerate(counts):
            event = TEMP if kind == 2 else READ
            for _ in range(count):
                yield from self._visit(self.data, random.exponential(services[kind]), where, spent, event, event)
                yield from self._visit(self.cores, random.exponential(burst), where, spent, QUEUE, RUNNING)
        if visit.dirty:
            for _ in range(random.whole(visit.dirty * DIRTY_COALESCED)):
                env.process(self._write_back())
        if visit.commits:
            where[1] = FLUSH
            since = env.now
            yield self.log.write(visit.log_s)
            spent[FLUSH] = env.now - since
        elif visit.log_s:
            self.log.write(visit.log_s)
        if lock is not None and request is not None:
            lock.release(request)
        where[1] = SEND
        yield env.timeout(visit.client_s)
        spent[SEND] = visit.client_s
        del self.active[number]
        self.finished.append((arrived, env.now - arrived, statement, *spent))

    def _visit(
        self,
        station: Station,
        service: float,
        where: list[int],
        spent: list[float],
        waiting: int,
        served: int,
    ) -> Steps:
        env = self.env
        since = env.now
        request = station.resource.request()
        where[1] = waiting
        if not request.triggered or station.resource.queue:
            yield request
        spent[waiting] += env.now - since
        where[1] = served
        yield env.timeout(service)
        station.resource.release(request)
        station.busy_s += service
        spent[served] += service

    def _write_back(self) -> Steps:
        yield from self._visit(
            self.data,
            self.random.exponential(self.host.data_volume.latency_s),
            [0, 0],
            [0.0] * len(EVENTS),
            READ,
            READ,
        )

    def _log_written(self, seconds: float) -> None:
        self.log_busy += seconds

    def _result(self, seconds: float) -> Result:
        names = ["start_s", "duration_s", "statement", *(f"wait.{event}" for event in EVENTS)]
        schema = {name: pl.Int64 if name == "statement" else pl.Float64 for name in names}
        executions = pl.DataFrame(self.finished, schema=schema, orient="row")
        samples = pl.DataFrame(
            self.samples, schema={"tick_s": pl.Int64, "session": pl.Int64, "statement": pl.Int64, "event": pl.Int64},
            orient="row",
        )  # fmt: skip
        events = pl.Series("wait_event", EVENTS)
        samples = samples.with_columns(events.gather(samples["event"]).alias("wait_event")).drop("event")
        span = max(seconds, 1e-9)
        use = {
            "processor": self.cores.busy_s / span / self.host.cores,
            "data volume": self.data.busy_s / span / self.host.data_volume.channels,
            "log volume": self.log_busy / span,
        }
        return Result(executions, samples, use, seconds)
