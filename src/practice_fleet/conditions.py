"""How a server is at a moment: everything its figures follow from. Troubles change it; nothing else does."""

from __future__ import annotations

from collections.abc import Container
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from hardy_gauge.probes.protocol import IndexSpec
from practice_fleet.actors import Actor
from practice_fleet.physics.demand import Situation, Visits, situation, visits
from practice_fleet.physics.locks import Hold
from practice_fleet.physics.memory import Memory, memory
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.upkeep import upkeep
from practice_fleet.planner.access import Costing
from practice_fleet.planner.catalogue import Catalogue
from practice_fleet.planner.choose import plan
from practice_fleet.planner.plan import WRITES, Node, Side
from practice_fleet.planner.query import read
from practice_fleet.planner.spread import Spread
from practice_fleet.scenario.data import TableSpec
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.settings import Value
from practice_fleet.transactions import PlayedTransaction, Transaction


@dataclass(frozen=True)
class Kinds:
    """Calls of one statement are of two kinds by their value: ``share`` of them meet ``ratio`` times as many rows as the others."""

    share: float
    ratio: float

    @property
    def mean(self) -> float:
        """Rows of a call on average ÷ those of a light one."""
        return 1 - self.share + self.share * self.ratio


@dataclass
class Conditions:
    """What decides a server's demands, still to be changed; ``state`` then works them out.

    ``believed`` holds tables as they were when statistics were last gathered, where that differs;
    ``rate`` factors by statement; ``held`` sessions that keep a statement's rows and do nothing;
    ``background_pages_per_s`` are written besides, ``background_reads_per_s`` read; ``failing`` the share of a statement's calls that fail, and ``failure_words`` what the log says of it; ``kinds`` statements with two kinds of calls; ``pinned`` plans by statement, and of those that somebody told it to keep since when in ``pins``; ``sessions`` open;
    ``cache_filled_bytes`` how much of the buffer cache is filled after a start, ``system_cache_share`` of the system's; ``load`` of
    the server where it is not that of its specification; ``side`` of a
    reporting cluster with so many ``workers``; ``apply_slowdown`` time
    to apply a change of the log in one process ÷ usual; ``long_reader`` when it must wait for one; ``upkeep_off_hours`` how long
    nothing was cleaned where upkeep is off; ``dead_shares`` what part of each table's rows is dead; ``down`` when it does not answer;
    ``killed`` when that is because memory and swap are full; ``actors`` are sessions that are followed one by one, ``transactions``
    those of applications; ``counted`` what
    is added to counters each second besides the statements, ``inserted`` rows to tables; ``unkept_tables`` whose own option switches upkeep off; ``unkept_bytes``
    what tables grew by since it was; ``gathered`` when statistics of a table were last gathered, where that is not by itself (s of
    the epoch; ``just_gathered``: seconds after what is just brought begins); ``clock_off_s`` how far its clock is ahead; ``version`` of the engine after an upgrade;
    ``pool_sessions`` of a pooler in front; ``retransmitted_share`` of the packets it sends; ``hot_partition``
    a statement and the share of its calls that ask for one partition.
    """

    host: HostSpec
    tables: dict[str, TableSpec]
    statements: dict[str, StatementSpec]
    settings: dict[str, Value]
    sessions: float
    believed: dict[str, TableSpec] = field(default_factory=dict)
    without: set[str] = field(default_factory=set)
    added: list[IndexSpec] = field(default_factory=list)
    rate: dict[str, float] = field(default_factory=dict)
    held: dict[str, Hold] = field(default_factory=dict)
    failing: dict[str, float] = field(default_factory=dict)
    failure_words: dict[str, str] = field(default_factory=dict)
    kinds: dict[str, Kinds] = field(default_factory=dict)
    pinned: dict[str, str] = field(default_factory=dict)
    pins: dict[str, int] = field(default_factory=dict)
    background_pages_per_s: float = 0.0
    background_reads_per_s: float = 0.0
    background_cores: float = 0.0
    cache_filled_bytes: float | None = None
    system_cache_share: float = 1.0
    load: float | None = None
    side: Side | None = None
    workers: int = 0
    apply_slowdown: float = 1.0
    long_reader: bool = False
    upkeep_off_hours: float = 0.0
    dead_shares: dict[str, float] = field(default_factory=dict)
    down: bool = False
    killed: bool = False
    actors: list[Actor] = field(default_factory=list)
    transactions: list[Transaction] = field(default_factory=list)
    counted: dict[str, float] = field(default_factory=dict)
    inserted: dict[str, float] = field(default_factory=dict)
    unkept_tables: set[str] = field(default_factory=set)
    unkept_bytes: float = 0.0
    gathered: dict[str, float] = field(default_factory=dict)
    just_gathered: dict[str, float] = field(default_factory=dict)
    clock_off_s: float = 0.0
    version: str | None = None
    pool_sessions: int | None = None
    retransmitted_share: float = 0.0
    hot_partition: tuple[str, float] | None = None

    def act(self, actor: Actor) -> None:
        """Let a session of its own do something."""
        self.actors.append(actor)

    def insert_rows(self, table: str, per_s: float) -> None:
        """Rows that come into a table besides the statements'."""
        self.inserted[table] = self.inserted.get(table, 0.0) + per_s

    def count(self, figure: str, per_s: float) -> None:
        """Add to a counter what is done besides the statements, in each second."""
        self.counted[figure] = self.counted.get(figure, 0.0) + per_s

    def began(self, at_s: float) -> None:
        """Let what was brought last begin then (s of the epoch)."""
        self.held = {key: h if h.first_s is not None else replace(h, first_s=at_s) for key, h in self.held.items()}
        self.gathered |= {table: at_s + after for table, after in self.just_gathered.items()}
        self.just_gathered = {}
        self.actors = [
            one if one.times.first_s is not None else replace(one, times=replace(one.times, first_s=at_s))
            for one in self.actors
        ]

    def change_table(self, name: str, **figures: object) -> None:
        """Give a table other figures; what the planner believes stays as it was."""
        self.believed.setdefault(name, self.tables[name])
        self.tables[name] = self.tables[name].model_copy(update=figures)

    def hold_table(self, table: str, hold: Hold, readers: bool = False) -> None:
        """Keep everyone who writes a table waiting, or with ``readers`` everyone who reads it too."""
        columns = {name: set(spec.columns) for name, spec in self.tables.items()}
        for key, statement in self.statements.items():
            query = read(statement.sql, columns)
            if table in query.tables if readers else query.kind != "select" and query.tables[0] == table:
                self.held[key] = hold

    def change_data_volume(self, **figures: object) -> None:
        self.host = self.host.model_copy(update={"data_volume": self.host.data_volume.model_copy(update=figures)})

    def change_log_volume(self, **figures: object) -> None:
        self.host = self.host.model_copy(update={"log_volume": self.host.log.model_copy(update=figures)})

    def fail(self, statement: str, share: float, words: str) -> None:
        """Let a share of a statement's calls fail, with these words in the log."""
        self.failing[statement] = max(share, self.failing.get(statement, 0.0))
        self.failure_words[statement] = words

    def fail_writes(self, words: str, kinds: Container[str] = WRITES, table: str | None = None) -> None:
        """Let every statement that writes, to one table where it is given, fail."""
        columns = {name: set(spec.columns) for name, spec in self.tables.items()}
        for key, statement in self.statements.items():
            query = read(statement.sql, columns)
            if query.kind in kinds and (table is None or query.tables[0] == table):
                self.fail(key, 1.0, words)

    def speed_up(self, statement: str, factor: float) -> None:
        self.rate[statement] = self.rate.get(statement, 1.0) * factor

    def state(self, rates: dict[str, float], usual: dict[str, float]) -> State:
        """The state with these calls per second at the top of the rhythm, before this moment's factors.

        ``usual`` are calls per second over a whole week, by which rows die.
        """
        now = {key: 0.0 if self.down else rate * self.rate.get(key, 1.0) for key, rate in rates.items()}
        state = State(self._catalogue(), self, now)
        off = self.upkeep_off_hours if self.settings["upkeep_enabled"] == "off" else None
        work = upkeep(self.tables, state.dead_rows(usual), float(self.settings["upkeep_threshold"]), off)
        self.background_pages_per_s += work.pages_per_s
        self.dead_shares = work.dead_shares
        grown = {name: growth for name, growth in work.growth.items() if abs(growth - 1) > 1e-9}
        if off is not None:
            self.unkept_bytes = (
                sum(self.tables[name].pages * (growth - 1) for name, growth in grown.items()) * PAGE_BYTES
            )
        for name, growth in grown.items():
            self.change_table(name, bloat=max(1.0, self.tables[name].bloat * growth))
        return State(self._catalogue(), self, now) if grown else state

    def _catalogue(self) -> Catalogue:
        detail = int(float(self.settings["statistics_detail"]))
        return Catalogue.of(self.tables, self.without, self.tables | self.believed, detail).with_indexes(self.added, [])


@dataclass(frozen=True)
class State:
    """Conditions that no longer change; plans, hit ratios and visits follow from them.

    ``rates`` are calls per second at the top of the rhythm; ``workers`` of a closed run are all at work. Of a trial's workload,
    ``played`` are the transactions in it, and ``single`` the weights of calls outside of any.
    """

    catalogue: Catalogue
    now: Conditions
    rates: dict[str, float]
    workers: int | None = None
    played: tuple[PlayedTransaction, ...] = ()
    single: tuple[float, ...] = ()

    @property
    def settings(self) -> dict[str, Value]:
        return self.now.settings

    @property
    def statements(self) -> dict[str, StatementSpec]:
        return self.now.statements

    @property
    def sessions(self) -> float:
        return float(self.workers or self.now.sessions)

    @property
    def hardware(self) -> HostSpec:
        return self.now.host

    @property
    def host(self) -> HostSpec:
        """The host as the statements find it: cores that background work keeps busy are missing."""
        cores = max(1, round(self.hardware.cores - self.now.background_cores))
        return self.hardware.model_copy(update={"cores": cores})

    @property
    def costing(self) -> Costing:
        names = ("random_read_cost", "sort_memory_bytes", "temp_table_memory_bytes")
        return Costing(*(float(self.settings[name]) for name in names))

    @property
    def over(self) -> Spread | None:
        """How plans are spread over the workers of a reporting cluster."""
        if self.now.side is None:
            return None
        slots, partitions = (int(float(self.settings[n])) for n in ("parallel_workers", "exchange_partitions"))
        names = ("broadcast_limit_bytes", "scan_split_bytes", "sort_memory_bytes")
        return Spread(self.now.workers, slots, partitions, *(float(self.settings[name]) for name in names))

    @cached_property
    def plans(self) -> dict[str, Node]:
        return {
            key: plan(self.catalogue, statement, self.costing, self.now.pinned.get(key), self.over)
            for key, statement in self.statements.items()
        }

    @cached_property
    def plan_keys(self) -> dict[str, str]:
        return {key: node.key() for key, node in self.plans.items()}

    def dead_rows(self, usual: dict[str, float]) -> dict[str, float]:
        """Rows per second that updates and deletes leave dead, by table."""
        dead: dict[str, float] = {}
        for key, node in self.plans.items():
            write = node.write
            if write and write.operation != "insert" and write.table and write in node.on(self.now.side):
                rate = usual.get(key, 0.0) * self.now.rate.get(key, 1.0)
                dead[write.table] = dead.get(write.table, 0.0) + rate * write.rows_true
        return dead

    def changed_rows(self, usual: dict[str, float]) -> dict[str, float]:
        """Rows per second that are added, changed or removed, by table."""
        changed = dict(self.now.inserted)
        for key, node in self.plans.items():
            write = node.write
            if write and write.table and write in node.on(self.now.side):
                rate = usual.get(key, 0.0) * self.now.rate.get(key, 1.0)
                changed[write.table] = changed.get(write.table, 0.0) + rate * write.rows_true
        return changed

    @cached_property
    def memory(self) -> Memory:
        return memory(self.hardware, self.settings, self.sessions, self._operations())

    def _operations(self) -> float:
        """Sorts and hashes going on at a time: by Little's law on their processor time, or by busy workers."""
        heavy = {"sort", "hash join", "aggregate"}
        running, calls = 0.0, sum(self.rates.values())
        for key, node in self.plans.items():
            count = sum(step.operation in heavy for step in node.on(self.now.side))
            seconds = sum(step.demand.processor_s for step in node.on(self.now.side))
            rate = self.rates.get(key, 0.0)
            running += rate / calls * self.workers * count if self.workers and calls else rate * seconds * count
        return running

    @cached_property
    def situation(self) -> Situation:
        return self._situation(self.now.side)

    @cached_property
    def _other_side(self) -> Situation:
        return self._situation("worker" if self.now.side == "coordinator" else "coordinator")

    def seen_from(self, side: Side | None) -> Situation:
        """The situation where a step is done: here, or on the other side of a reporting cluster with the same load."""
        return self.situation if side in (None, self.now.side) else self._other_side

    def _situation(self, side: Side | None) -> Situation:
        cache = float(self.settings["buffer_cache_bytes"])
        filled = cache if self.now.cache_filled_bytes is None else min(cache, self.now.cache_filled_bytes)
        return situation(
            self.catalogue,
            self.plans,
            self.rates,
            self.hardware,
            self.settings,
            self.memory,
            filled / PAGE_BYTES,
            side,
            self.now.system_cache_share,
        )

    @cached_property
    def visits(self) -> dict[str, Visits]:
        return self._visits(self.situation)

    @cached_property
    def worker_visits(self) -> dict[str, Visits]:
        """What each worker of a reporting cluster does for a call, seen from the coordinator."""
        return self._visits(self.seen_from("worker")) if self.now.side == "coordinator" else {}

    def _visits(self, situation: Situation) -> dict[str, Visits]:
        every = {
            key: visits(self.catalogue, self.plans[key], statement, situation)
            for key, statement in self.statements.items()
        }
        for transaction in self.now.transactions:
            every |= {
                key: replace(every[key], commits=False, ends=False, log_s=0.0) for key in transaction.not_last(every)
            }
        return every

    @property
    def holds(self) -> dict[str, Hold]:
        """Sessions that keep rows, for as long as the server lets them idle."""
        most = float(self.settings["idle_transaction_timeout_s"])
        return {key: hold.cut(most) for key, hold in self.now.held.items() if key in self.statements}

    @property
    def actors(self) -> list[Actor]:
        """Sessions that are followed one by one, for as long as the server lets them idle or run."""
        idle, run = (float(self.settings[f"{what}_timeout_s"]) for what in ("idle_transaction", "statement"))
        return [replace(one, times=one.times.cut(idle if one.idles else run)) for one in self.now.actors]

    def background(self, at_us: NDArray[np.int64]) -> Array:
        """Pages written per second in the minutes that start at ``at_us``, besides what statements write.

        A checkpoint writes over its spread of the time to the next, so minutes differ.
        """
        done = self.situation.checkpoints
        steady = self.situation.background_pages_per_s + self.now.background_pages_per_s
        if done.every_s < 120:
            return np.full(len(at_us), steady + done.checkpoint_pages_per_s)
        on = _overlap(at_us / 1e6, 60.0, done.every_s, done.every_s * done.spread)
        return np.asarray(steady + done.checkpoint_pages_per_s / done.spread * on)


def _overlap(start: Array, length: float, every: float, lasts: float) -> Array:
    """Share of ``[start, start + length)`` in which something that starts each ``every`` and lasts ``lasts`` is on."""

    def before(t: Array) -> Array:
        return np.asarray(np.floor(t / every) * lasts + np.minimum(t % every, lasts))

    return (before(start + length) - before(start)) / length
