"""One machine of a run: its stations, its pages and its rows, and what one execution does there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import simpy

from practice_fleet.events.checkpoint import Checkpointer
from practice_fleet.events.locking import NOBODY, Ends, Holds, Locking
from practice_fleet.events.pages import Found, Store
from practice_fleet.events.randoms import Randoms
from practice_fleet.events.rows import Row
from practice_fleet.events.stations import Gate, LogWriter, SharedCores, Station, Steps
from practice_fleet.physics import wait_events as waits
from practice_fleet.physics.demand import SYSTEM_HIT_S, Visits
from practice_fleet.physics.storage import Volume
from practice_fleet.physics.wait_events import LATCH_S, Limits
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.scenario.units import PAGE_BYTES

PER_TASK = ("processor_s", "random_reads", "chunk_reads", "temp_reads", "swap_reads", "pages_requested", "exchange_s")
Request = tuple[int, float, float, int]


@dataclass
class Machine:
    """Stations of one host. ``holds`` are idle sessions that keep rows, by number of the statement.

    ``pages_besides`` are single pages per second that come to the data volume whatever the statements do.
    """

    env: simpy.Environment
    host: HostSpec
    visits: list[Visits]
    limits: Limits
    random: Randoms
    store: Store | None
    pace: Callable[[], float]
    holds: Holds = field(default_factory=dict)
    pages_besides: float = 0.0

    def __post_init__(self) -> None:
        self.cores = SharedCores(self.env, self.host.cores)
        self.volume = Volume.of(self.host.data_volume)
        self.data = Station(self.env, self.volume.channels)
        self.gate = Gate(self.env)
        self.latches = [Gate(self.env) for _ in range(self.limits.cache_partitions)]
        self.log = LogWriter(self.env, Volume.of(self.host.log), self._log_through)
        self.sessions, self.refused = 0, 0
        self.locking = Locking(self.env, self.limits, self.random, self.holds)
        self.pages_read = self.pages_written = 0
        self.log_bytes = 0.0
        self.background_free_at = 0.0
        self.checkpointer = None
        if self.pages_besides:
            self.env.process(self._besides())
        if self.store is not None:
            store = self.store
            self.checkpointer = Checkpointer(
                self.env, store.pages, self._page_write, store.log_capacity, store.checkpoint_interval_s,
                store.checkpoint_spread, self.pace,
            )  # fmt: skip
            self.checkpointer.log_bytes = store.log_used
            self.env.process(self.checkpointer.run(store.age_s))

    def execute(
        self, number: int, statement: int, where: list[int], spent: list[float], held: list[Row] | None = None,
        commits: bool = True,
    ) -> Ends:  # fmt: skip
        """One execution by session ``number``; False when it gave up waiting or was given up. ``held`` are the rows of the
        transaction that it belongs to, and kept after it; None where it is one by itself.
        """
        visit = self.visits[statement]
        deadline = self.env.now + self.limits.statement_timeout_s
        rows: list[Row] = []
        if statement in self.holds and not (yield from self.locking.wait_for_idle(number, statement, where, spent)):
            return False
        if visit.hot_rows:
            rows = self.locking.rows_of(statement, visit)
        reads, processor_s, log_bytes = self._pages_of(visit)
        parts = max(1, len(rows))
        burst = processor_s / (sum(count for count, _, _, _ in reads) + parts)
        yield from self._latch(visit.pages_requested, where, spent)
        kept: list[Row] = [] if held is None else held
        done = True
        for part in range(parts):
            if rows:
                done = yield from self.locking.lock(number, rows[part], deadline, where, spent)
                if not done:
                    break
                if rows[part] not in kept:
                    kept.append(rows[part])
            work = reads if parts == 1 else _part(reads, part, parts)
            yield from self._compute(self.random.exponential(burst), where, spent)
            for count, service, size, event in work:
                for _ in range(count):
                    yield from self._request(self.random.exponential(service), size, where, spent, event)
                    yield from self._compute(self.random.exponential(burst), where, spent)
            done = self.env.now <= deadline
            if not done:
                break
        if done and log_bytes:
            yield from self._log(visit, log_bytes, where, spent, commits)
        if held is None:
            self.locking.release(kept)
        if visit.exchange_s:
            where[1] = waits.EXCHANGE
            yield self.env.timeout(visit.exchange_s)
            spent[waits.EXCHANGE] = visit.exchange_s
        where[1] = waits.SEND
        yield self.env.timeout(visit.client_s)
        spent[waits.SEND] = visit.client_s
        return done

    def part(self, number: int, statement: int) -> Steps:
        """A worker's part of a call, in tasks beside each other; ``visits`` are those of one task."""
        tasks = max(1, round(self.visits[statement].beside))
        spent, where = [0.0] * len(waits.EVENTS), [statement, waits.QUEUE, NOBODY]
        running = [self.env.process(self.execute(number, statement, where, spent)) for _ in range(tasks)]
        yield self.env.all_of(running)

    def utilisation(self, seconds: float) -> dict[str, float]:
        """Share of the time that each station was busy."""
        use = {
            "processor": self.cores.busy_until_now() / seconds / self.host.cores,
            "data volume": self.data.busy_s / seconds / self.volume.channels,
            "log volume": self.log.busy_s / seconds,
        }
        if self.volume.gate_s():
            use["data limit"] = self.gate.busy_s / seconds
        if self.log.volume.gate_s():
            use["log limit"] = self.log.gate.busy_s / seconds
        return use

    # stations -------------------------------------------------------------------------------------

    def _latch(self, pages: float, where: list[int], spent: list[float]) -> Steps:
        """Look pages up in one part of the buffer cache; looking is processor time, waiting for the latch is not."""
        looking = pages * LATCH_S / self.host.core_speed
        latch = self.latches[int(self.random.uniform() * len(self.latches))] if looking else None
        waited = latch.delay(looking) - looking if latch else 0.0
        if waited > 1e-9:
            where[1] = waits.LATCH
            yield self.env.timeout(waited)
            spent[waits.LATCH] += waited

    def _pages_of(self, visit: Visits) -> tuple[list[Request], float, float]:
        """Requests to the data volume as (count, seconds, bytes, event), processor seconds, and log bytes."""
        whole, latency, page = self.random.whole, self.host.data_volume.latency_s, float(PAGE_BYTES)
        chunk_bytes = (visit.chunk_s - latency / 2) * self.volume.stream_bytes_per_s
        others = [
            (whole(visit.temp_reads), visit.chunk_s, chunk_bytes, waits.TEMP),
            (whole(visit.swap_reads), latency, page, waits.SWAP),
        ]
        if self.store is None:
            reads = [
                (whole(visit.random_reads), latency, page, waits.READ),
                (whole(visit.chunk_reads), visit.chunk_s, chunk_bytes, waits.READ),
                (whole(visit.evict_writes), latency, page, waits.WRITE),
            ]
            return [r for r in reads + others if r[0]], visit.processor_s, visit.log_bytes
        pages, found, in_order = self.store.pages, Found(), 0
        for name, mean in visit.random.items():
            pages.ask(name, whole(mean), found)
        for name, mean in visit.stream.items():
            in_order += pages.scan(name, mean, found)
        first_changes = sum(pages.change(name, whole(mean)) for name, mean in visit.changed.items())
        images = 0 if self.host.atomic_writes else first_changes
        self.pages_read += found.read + found.system + in_order  # what the engine asks the operating system for
        chunks = whole(in_order / self.store.read_ahead_pages)
        by_session = self._left_to_session(found.evicted)
        reads = [
            (found.read, latency, page, waits.READ),
            (chunks, visit.chunk_s, chunk_bytes, waits.READ),
            (by_session, latency, page, waits.WRITE),
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

    def _log(self, visit: Visits, size: float, where: list[int], spent: list[float], commits: bool) -> Steps:
        """Write the log; a commit waits for it, and all wait while the log is full."""
        env, checkpoint = self.env, self.checkpointer
        if checkpoint is not None:
            since = env.now
            while checkpoint.full:
                where[1] = waits.FULL
                yield env.timeout(0.05)
            spent[waits.FULL] += env.now - since
            checkpoint.log_bytes += size
        self.log_bytes += size
        seconds = visit.log_s + (size - visit.log_bytes) / self.log.volume.stream_bytes_per_s
        written = self.log.write(seconds, size)
        if commits and visit.commits:
            where[1] = waits.FLUSH
            since = env.now
            yield written
            spent[waits.FLUSH] = env.now - since

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

    def _compute(self, seconds: float, where: list[int], spent: list[float]) -> Steps:
        """Work on a core, which is shared with all that have work."""
        since, where[1] = self.env.now, waits.RUNNING
        yield self.cores.work(seconds)
        spent[waits.RUNNING] += seconds
        spent[waits.QUEUE] += max(0.0, self.env.now - since - seconds)

    def _page_write(self) -> Steps:
        """One changed page to the data volume, behind nobody's back."""
        self.pages_written += 1
        yield from self._page()

    def _besides(self) -> Steps:
        """Requests of others than the statements: what a member copies, an upkeep reads, a neighbour asks for."""
        while True:
            yield self.env.timeout(self.random.exponential(1 / self.pages_besides))
            self.env.process(self._page())

    def _page(self) -> Steps:
        latency = self.host.data_volume.latency_s
        blank = [0.0] * len(waits.EVENTS)
        yield from self._request(self.random.exponential(latency), PAGE_BYTES, [0, 0, 0], blank, waits.WRITE)

    def _log_through(self, seconds: float) -> Steps:
        """A log write takes its time alone, or a channel of the data volume when they share it."""
        if self.host.log_volume is None:
            yield from self._visit(self.data, seconds, [0, 0, 0], [0.0] * len(waits.EVENTS), waits.WRITE, waits.WRITE)
        else:
            yield self.env.timeout(seconds)


def _part(requests: list[Request], part: int, parts: int) -> list[Request]:
    """The ``part``-th share of the requests, each kind dealt out in turn."""
    return [(count // parts + (part < count % parts), *rest) for count, *rest in requests]  # type: ignore[misc]


def one_task(visit: Visits) -> Visits:
    """The visits of one of the tasks that a worker runs beside each other; fewer than one is one that takes longer."""
    tasks = max(1, round(visit.beside))
    longer = min(1.0, visit.beside)
    scaled = {name: getattr(visit, name) / tasks / longer for name in PER_TASK}
    return replace(visit, **scaled)
