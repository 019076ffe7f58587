"""From plans to visits: how often a statement visits each station, and for how long each time."""

from __future__ import annotations

from dataclasses import dataclass, field

from practice_fleet.physics.cache import Accessed, Caches, Hits, two_levels
from practice_fleet.physics.checkpoints import Checkpoints, checkpoints
from practice_fleet.physics.memory import WORKING_PAGES, Memory
from practice_fleet.physics.storage import Volume
from practice_fleet.planner.catalogue import Catalogue
from practice_fleet.planner.plan import Node, Side
from practice_fleet.planner.spread import beside
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.settings import Value

CACHED_SHARE = 0.25
LOG_RECORD_BYTES = 512
ROW_SENT_BYTES = 24
SYSTEM_HIT_S = 4e-6


@dataclass(frozen=True)
class Visits:
    """What one execution does at the stations, on average.

    Reads come as ``random_reads`` of one page and ``chunk_reads`` of a read-ahead; ``temp_reads`` are
    chunks of temporary files, ``swap_reads`` pages of memory fetched back from swap, ``evict_writes`` changed
    pages that the session itself must write to make room. ``pages_read`` are what the engine reads from the operating system,
    which has ``system_hits`` of them; ``storage_pages`` come from the volume. The processor is visited once between any two.
    ``random``, ``stream`` and ``changed`` are the pages asked for by object, before any cache;
    ``record_bytes`` is the log without page images; ``ends`` when a transaction that wrote ends with it, and ``commits`` when it waits
    for that. ``sent_bytes`` go to the client. ``exchange_s`` is spent sending rows to other servers of the
    cluster; ``beside`` is how many tasks a worker of a reporting cluster runs beside each other for it.
    """

    processor_s: float
    random_reads: float
    chunk_reads: float
    chunk_s: float
    temp_reads: float
    swap_reads: float
    evict_writes: float
    log_bytes: float
    log_s: float
    commits: bool
    ends: bool
    dirty: float
    client_s: float
    hot_rows: int | None
    locked_rows: int
    same_order: bool
    rows_returned: float
    rows_examined: float
    pages_requested: float
    pages_read: float
    exchange_s: float = 0.0
    beside: float = 1.0
    system_hits: float = 0.0
    storage_pages: float = 0.0
    record_bytes: float = 0.0
    sent_bytes: float = 0.0
    random: dict[str, float] = field(default_factory=dict)
    stream: dict[str, float] = field(default_factory=dict)
    changed: dict[str, float] = field(default_factory=dict)

    @property
    def reads(self) -> float:
        return self.random_reads + self.chunk_reads + self.temp_reads + self.swap_reads + self.evict_writes


@dataclass(frozen=True)
class Situation:
    """What all statements of a server share: caches, memory, checkpoints, hardware, settings.

    ``side`` is which part of each plan it does.
    """

    caches: Caches
    memory: Memory
    checkpoints: Checkpoints
    host: HostSpec
    settings: dict[str, Value]
    changes_per_s: float
    side: Side | None = None

    @property
    def cache_pages(self) -> float:
        return float(self.settings["buffer_cache_bytes"]) / PAGE_BYTES

    @property
    def background_write_rate(self) -> float:
        """Pages per second that the background writer may write; more while the log forces checkpoints."""
        rate = float(self.settings["background_write_rate"])
        return max(rate, float(self.settings["background_write_rate_max"])) if self.checkpoints.forced else rate

    @property
    def session_writes_per_change(self) -> float:
        """Changed pages a session must write itself, for each page it changes: what the background leaves over."""
        left = self.checkpoints.evicted_pages_per_s - self.background_write_rate
        return max(0.0, left) / max(self.changes_per_s, 1e-9)

    @property
    def background_pages_per_s(self) -> float:
        """Pages that the background writer writes besides the checkpoints."""
        return min(self.checkpoints.evicted_pages_per_s, self.background_write_rate)


def bypasses(catalogue: Catalogue, name: str, cache_pages: float) -> bool:
    """A scan of more than a quarter of the cache goes past it, so that it cannot empty it."""
    return catalogue.pages_of(name) > CACHED_SHARE * cache_pages


def situation(
    catalogue: Catalogue, plans: dict[str, Node], rates: dict[str, float], host: HostSpec,
    settings: dict[str, Value], memory: Memory, cache_pages: float, side: Side | None = None, system_share: float = 1.0,
) -> Situation:  # fmt: skip
    """Caches and checkpoints under this mix of statements, at these calls per second; ``system_share`` of the operating system's cache
    is filled.
    """
    ordinary: dict[str, float] = {}
    scanned: dict[str, float] = {}
    changed: dict[str, float] = {}
    log = 0.0
    for key, plan in plans.items():
        rate = rates.get(key, 0.0)
        for node in plan.on(side):
            for name, pages in node.demand.random.items():
                ordinary[name] = ordinary.get(name, 0.0) + pages * rate
            for name, pages in node.demand.stream.items():
                into = scanned if bypasses(catalogue, name, cache_pages) else ordinary
                into[name] = into.get(name, 0.0) + pages * rate
            for name, pages in node.demand.dirty.items():
                changed[name] = changed.get(name, 0.0) + pages * rate
            log += node.demand.log_bytes * rate + (LOG_RECORD_BYTES * rate if node.demand.log_bytes else 0.0)
    objects = []
    for name in [*catalogue.tables, *catalogue.indexes]:
        pages, skew = catalogue.pages_of(name), catalogue.skew_of(name)
        objects.append(Accessed(name, pages, skew, ordinary.get(name, 0.0), scanned.get(name, 0.0)))
    caches = two_levels(objects, cache_pages, memory.system_cache * system_share / PAGE_BYTES)
    touched = [Accessed(o.name, o.pages, o.skew, changed[o.name]) for o in objects if o.name in changed]
    done = checkpoints(
        touched, log, float(settings["log_capacity_bytes"]), float(settings["checkpoint_interval_s"]),
        float(settings["checkpoint_spread"]), caches.stay_s, not host.atomic_writes,
    )  # fmt: skip
    return Situation(caches, memory, done, host, settings, sum(changed.values()), side)


def visits(catalogue: Catalogue, node: Node, statement: StatementSpec, now: Situation) -> Visits:
    """The visits of a whole plan, or of the part that a side does of it."""
    top = node.below[0] if now.side == "worker" else node
    return _of_nodes(catalogue, node.on(now.side), top, statement, now)


def step_visits(catalogue: Catalogue, node: Node, statement: StatementSpec, now: Situation) -> Visits:
    """The visits of one step without the steps below it."""
    return _of_nodes(catalogue, [node], node, statement, now)


def _of_nodes(catalogue: Catalogue, nodes: list[Node], top: Node, statement: StatementSpec, now: Situation) -> Visits:
    host, settings = now.host, now.settings
    chunk = float(settings["read_ahead_pages"])
    random: dict[str, float] = {}
    stream: dict[str, float] = {}
    changed: dict[str, float] = {}
    temp = log = processor = examined = network = 0.0
    for node in nodes:
        demand = node.demand
        processor += demand.processor_s
        temp += demand.temporary
        network += demand.network
        log += demand.log_bytes
        examined += node.examined
        for into, by in ((random, demand.random), (stream, demand.stream), (changed, demand.dirty)):
            for name, pages in by.items():
                into[name] = into.get(name, 0.0) + pages
    absent = Hits(0.0)
    requested = sum(random.values()) + sum(stream.values())
    random_misses = stream_misses = system_hits = 0.0
    for name, pages in random.items():
        hits = now.caches.hits.get(name, absent)
        random_misses += pages * hits.read
        system_hits += pages * hits.system
    for name, pages in stream.items():
        hits = now.caches.hits.get(name, absent)
        past = bypasses(catalogue, name, now.cache_pages)
        stream_misses += pages * ((1 - hits.scan_system) if past else hits.read)
        system_hits += pages * (hits.scan_system if past else hits.system)
    dirty = sum(changed.values())
    data, log_volume = Volume.of(host.data_volume), Volume.of(host.log)
    writes = log > 0
    records = log
    log += now.checkpoints.image_bytes_per_s / max(now.changes_per_s, 1e-9) * dirty
    returned = 0.0 if top.write else top.rows_true
    swapped = now.memory.swapped
    flushes = 1 + (log + LOG_RECORD_BYTES) // float(settings["log_buffer_bytes"])
    write_s = flushes * log_volume.latency_s + (log + LOG_RECORD_BYTES) / log_volume.stream_bytes_per_s
    return Visits(
        processor_s=(processor + system_hits * SYSTEM_HIT_S) / host.core_speed,
        random_reads=random_misses,
        chunk_reads=stream_misses / chunk,
        chunk_s=data.chunk_s(chunk),
        temp_reads=2 * temp / chunk,
        swap_reads=swapped * (WORKING_PAGES + requested),
        evict_writes=now.session_writes_per_change * dirty,
        log_bytes=log if writes else 0.0,
        log_s=write_s if writes else 0.0,
        commits=writes and settings["commit_mode"] == "wait",
        ends=writes,
        dirty=dirty,
        client_s=host.network_latency_s + returned * (top.width + ROW_SENT_BYTES) / host.network_bytes_per_s,
        hot_rows=statement.hot_rows if writes else None,
        locked_rows=statement.locked_rows,
        same_order=statement.lock_order == "same",
        rows_returned=returned,
        rows_examined=examined,
        pages_requested=requested,
        pages_read=random_misses + stream_misses + system_hits,
        storage_pages=random_misses + stream_misses,
        exchange_s=network / host.network_bytes_per_s,
        beside=max(beside(top), 1e-3) if now.side == "worker" else 1.0,
        system_hits=system_hits,
        record_bytes=records,
        sent_bytes=returned * (top.width + ROW_SENT_BYTES),
        random=random,
        stream=stream,
        changed=changed,
    )
