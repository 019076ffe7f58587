"""From plans to visits: how often a statement visits each station, and for how long each time."""

from __future__ import annotations

from dataclasses import dataclass

from practice_fleet.cache import Accessed, hit_ratios
from practice_fleet.catalogue import Catalogue
from practice_fleet.plan import Node
from practice_fleet.scenario import PAGE_BYTES, HostSpec, StatementSpec
from practice_fleet.settings import Value

CACHED_SHARE = 0.25
LOG_RECORD_BYTES = 512
ROW_SENT_BYTES = 96


@dataclass(frozen=True)
class Visits:
    """What one execution does at the stations, on average.

    Reads come as ``random_reads`` of one page and ``chunk_reads`` of a read-ahead; ``temp_reads`` are
    chunks of temporary files. The processor is visited once between any two of them.
    """

    processor_s: float
    random_reads: float
    chunk_reads: float
    chunk_s: float
    temp_reads: float
    log_bytes: float
    log_s: float
    commits: bool
    dirty: float
    client_s: float
    hot_rows: int | None
    rows_returned: float
    rows_examined: float
    pages_requested: float
    pages_read: float

    @property
    def reads(self) -> float:
        return self.random_reads + self.chunk_reads + self.temp_reads


def bypasses(catalogue: Catalogue, table: str, cache_pages: float) -> bool:
    """A scan of a table larger than a quarter of the cache goes past it, so that it cannot empty it."""
    return catalogue.tables[table].pages > CACHED_SHARE * cache_pages


def cache_hits(
    catalogue: Catalogue, plans: dict[str, Node], rates: dict[str, float], cache_pages: float
) -> dict[str, float]:
    """Hit ratio of every table and index under this mix of statements."""
    requests: dict[str, float] = {}
    for key, plan in plans.items():
        for node in plan.walk():
            for name, pages in node.demand.random.items():
                requests[name] = requests.get(name, 0) + pages * rates.get(key, 0)
            for name, pages in node.demand.stream.items():
                if not bypasses(catalogue, name, cache_pages):
                    requests[name] = requests.get(name, 0) + pages * rates.get(key, 0)
    objects = []
    for name in [*catalogue.tables, *catalogue.indexes]:
        table = catalogue.tables[name if name in catalogue.tables else catalogue.indexes[name].table]
        objects.append(Accessed(name, catalogue.pages_of(name), table.skew, requests.get(name, 0.0)))
    return hit_ratios(objects, cache_pages)


def visits(
    catalogue: Catalogue, node: Node, statement: StatementSpec, hits: dict[str, float], host: HostSpec,
    settings: dict[str, Value],
) -> Visits:  # fmt: skip
    """The visits of a whole plan (or, for one node without the steps below, of that step)."""
    return _of_nodes(catalogue, list(node.walk()), node, statement, hits, host, settings)


def step_visits(
    catalogue: Catalogue, node: Node, statement: StatementSpec, hits: dict[str, float], host: HostSpec,
    settings: dict[str, Value],
) -> Visits:  # fmt: skip
    """The visits of one step without the steps below it."""
    return _of_nodes(catalogue, [node], node, statement, hits, host, settings)


def _of_nodes(
    catalogue: Catalogue, nodes: list[Node], top: Node, statement: StatementSpec, hits: dict[str, float],
    host: HostSpec, settings: dict[str, Value],
) -> Visits:  # fmt: skip
    cache_pages = float(settings["buffer_cache_bytes"]) / PAGE_BYTES
    chunk = float(settings["read_ahead_pages"])
    random_misses = stream_misses = requested = temp = log = dirty = processor = examined = 0.0
    for node in nodes:
        demand = node.demand
        processor += demand.processor_s
        temp += demand.temporary
        log += demand.log_bytes
        dirty += demand.dirty
        examined += node.examined
        requested += demand.pages
        random_misses += sum(pages * (1 - hits[name]) for name, pages in demand.random.items())
        for name, pages in demand.stream.items():
            stream_misses += pages if bypasses(catalogue, name, cache_pages) else pages * (1 - hits[name])
    volume = host.data_volume
    returned = 0.0 if log else top.rows_true
    commits = log > 0
    log_volume = host.log_volume
    write_s = log_volume.latency_s + (log + LOG_RECORD_BYTES) / log_volume.stream_bytes_per_s
    return Visits(
        processor_s=processor,
        random_reads=random_misses,
        chunk_reads=stream_misses / chunk,
        chunk_s=volume.latency_s / 2 + chunk * PAGE_BYTES / volume.stream_bytes_per_s,
        temp_reads=2 * temp / chunk,
        log_bytes=log,
        log_s=write_s if commits else 0.0,
        commits=commits and settings["commit_mode"] == "wait",
        dirty=dirty,
        client_s=host.network_latency_s + returned * ROW_SENT_BYTES / host.network_bytes_per_s,
        hot_rows=statement.hot_rows if commits else None,
        rows_returned=returned,
        rows_examined=examined,
        pages_requested=requested,
        pages_read=random_misses + stream_misses,
    )
