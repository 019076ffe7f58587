"""One practice server: what changes it, its state at any moment, and the load it has then."""

from __future__ import annotations

import zlib
from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Protocol

import numpy as np

from hardy_gauge.probes.protocol import Arrival, IndexSpec, PlayStatement
from practice_fleet import settings as setting_rules
from practice_fleet.conditions import Conditions, State
from practice_fleet.physics.queueing import Array
from practice_fleet.planner.plan import Side
from practice_fleet.planner.query import canonical
from practice_fleet.rhythms import rhythm
from practice_fleet.scenario.clusters import ClusterSpec, ServerSpec
from practice_fleet.scenario.data import TableSpec
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.transactions import in_workload, transactions_of
from practice_fleet.troubles.base import Said
from practice_fleet.troubles.members import MemberDown, PeerDown
from practice_fleet.volume_use import FullVolumes

MINUTE_US = 60_000_000
HOUR_US = 60 * MINUTE_US
DAY_US = 24 * HOUR_US
SWING = 0.06
FULL = -1  # beside the numbers of influences, whether a volume is full
UNKNOWN = StatementSpec(sql="-", service="trial", user="trial", rate=1, rhythm="trial")


class Influence(Protocol):
    """What changes a server for a time: a trouble of the scenario, or something done through the protocol."""

    def start_us(self, anchor_us: int) -> int: ...
    def end_us(self, anchor_us: int) -> int | None: ...
    def is_on(self, at_us: int, anchor_us: int) -> bool: ...
    def stage(self, at_us: int, anchor_us: int) -> int: ...
    def hours(self, at_us: int, anchor_us: int) -> float: ...
    def change(self, now: Conditions, hours: float) -> None: ...
    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]: ...
    def levels(self, hours: float) -> dict[str, float]: ...
    def bytes_added(self, tables: Mapping[str, TableSpec], hours: float) -> float: ...
    def says(self, server: str) -> list[Said]: ...
    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]: ...


class PracticeServer:
    """A server of the scenario, seen at any time from ``start_us`` on; ``anchor_us`` is the fleet's first start."""

    def __init__(self, scenario: Scenario, cluster: ClusterSpec, spec: ServerSpec, anchor_us: int) -> None:
        self.scenario, self.cluster, self.spec, self.anchor_us = scenario, cluster, spec, anchor_us
        self.start_us = (anchor_us - int(scenario.history_days * DAY_US)) // HOUR_US * HOUR_US
        self.seed = zlib.crc32(f"{scenario.seed}/{spec.name}".encode())
        leading = next((s.name for s in cluster.servers if s.role == "coordinator"), spec.name)
        self.load_seed = zlib.crc32(f"{scenario.seed}/{leading}".encode())
        self.settings = setting_rules.resolve(cluster.settings, spec.settings)
        self.database = scenario.database_of(spec.name)
        self.statements = {k: s for k, s in self.database.all_rates().items() if self._runs(s)}
        self.transactions = transactions_of(self.database, self.statements)
        self.influences: list[Influence] = [t for t in scenario.troubles if spec.name in t.servers]
        self.influences += self._peers_down()
        self.peers: dict[str, PracticeServer] = {}  # the other servers of its cluster, where there is a fleet
        self._states: dict[tuple[tuple[int, int], ...], State] = {}
        self._full = FullVolumes(self)
        self.workers = sum(one.role == "worker" for one in cluster.servers)
        self.side: Side | None = spec.role if spec.role in ("coordinator", "worker") else None
        scale = spec.scale / (self.workers if self.side else 1)
        self._tables = {
            name: table.model_copy(update={"rows": table.rows * scale}) if scale != 1 else table
            for name, table in self.database.tables.items()
        }

    def _peers_down(self) -> list[Influence]:
        """What the times mean for this member in which another is down."""
        members = [s.name for s in self.cluster.servers if s.role == "member"]
        if self.spec.name not in members:
            return []
        return [
            PeerDown(trouble, name, len(members), self.cluster.copies)
            for trouble in self.scenario.troubles
            if isinstance(trouble, MemberDown)
            for name in trouble.servers
            if name in members and name != self.spec.name
        ]

    @property
    def leader(self) -> str | None:
        """The server from which this one has its schema, if that is another."""
        leads = next((s.name for s in self.cluster.servers if s.role in ("primary", "coordinator")), None)
        return leads if leads != self.spec.name and self.spec.role in ("replica", "worker") else None

    def is_down(self, at_us: int) -> bool:
        return self.state(at_us).now.down

    @property
    def every_statement(self) -> dict[str, StatementSpec]:
        """The statements of now, and those that troubles bring at some time."""
        every = dict(self.statements)
        for influence in self.influences:
            every |= influence.brings(self.statements)
        return every

    def _runs(self, statement: StatementSpec) -> bool:
        role = "replica" if self.spec.role == "replica" and not self.spec.copy_of else "primary"
        return statement.on == "all" or statement.on == role

    # state ----------------------------------------------------------------------------------------

    def _key(self, at_us: int) -> tuple[tuple[int, int], ...]:
        return tuple(
            (number, influence.stage(at_us, self.anchor_us))
            for number, influence in enumerate(self.influences)
            if influence.is_on(at_us, self.anchor_us)
        )

    def conditions(self, at_us: int) -> Conditions:
        """Conditions at a moment, with everything that is on."""
        cluster = self.cluster
        now = Conditions(
            cluster.host, dict(self._tables), dict(self.statements), dict(self.settings), float(cluster.sessions),
            side=self.side, workers=self.workers, pool_sessions=cluster.pooler.sessions if cluster.pooler else None,
            transactions=self.transactions,
        )  # fmt: skip
        for influence in self.influences:
            if influence.is_on(at_us, self.anchor_us):
                influence.change(now, influence.hours(at_us, self.anchor_us))
                now.began(influence.start_us(self.anchor_us) / 1e6)
        return now

    def state(self, at_us: int) -> State:
        return self._state(at_us, self._full.is_full(at_us))

    def state_with_room(self, at_us: int) -> State:
        """The state at a moment if its volumes had room."""
        return self._state(at_us, False)

    def _state(self, at_us: int, full: bool) -> State:
        key = (*self._key(at_us), (FULL, int(full)))
        if key not in self._states:
            now = self.conditions(at_us)
            if full:
                now.fail_writes("a file could not be extended: no space is left on the volume")
            rates = {k: s.rate * self.part(s, now.load) for k, s in now.statements.items()}
            usual = {k: rates[k] * self.scenario.rhythms[s.rhythm].mean for k, s in now.statements.items()}
            state = now.state(rates, usual)
            if state.memory.killed:  # started again, it is killed again, for as long as it needs so much
                now.killed = now.down = True
                state = replace(state, rates=dict.fromkeys(rates, 0.0))
            self._states[key] = state
        return self._states[key]

    def cuts(self, since_us: int, until_us: int) -> list[int]:
        """Whole minutes inside the span at which the state changes, in order."""
        times = {
            -(-at // MINUTE_US) * MINUTE_US
            for influence in self.influences
            for at in influence.moments(self.anchor_us, since_us, until_us)
        } | set(self._full.moments(until_us))
        return sorted(at for at in times if since_us < at < until_us)

    def levels(self, at_us: np.ndarray) -> dict[str, Array]:
        """What influences add to level figures at moments between which none begins or ends."""
        total: dict[str, Array] = {}
        first = int(at_us[0])
        for influence in self.influences:
            if not influence.is_on(first, self.anchor_us):
                continue
            start = influence.start_us(self.anchor_us)
            if not influence.levels((first - start) / HOUR_US):
                continue
            for number, at in enumerate(at_us.tolist()):
                for name, value in influence.levels((at - start) / HOUR_US).items():
                    total.setdefault(name, np.zeros(len(at_us)))[number] += value
        return total

    def bytes_added(self, at_us: np.ndarray) -> Array:
        """Bytes that influences added to the data volume at moments between which none begins or ends."""
        total, first = np.zeros(len(at_us)), int(at_us[0])
        for influence in self.influences:
            if influence.is_on(first, self.anchor_us):
                hours = (at_us - influence.start_us(self.anchor_us)) / HOUR_US
                total += [influence.bytes_added(self._tables, one) for one in hours.tolist()]
        return total

    def trial_state(
        self, at_us: int, texts: list[PlayStatement], changed: dict[str, setting_rules.Value],
        add: Iterable[IndexSpec], drop: Iterable[str], arrival: Arrival | None = None, unpinned: bool = False,
    ) -> State:  # fmt: skip
        """The state with a workload, settings and indexes of its own; Refused names what cannot be.

        With closed ``arrival`` every worker is a session, and all of them are at work; ``unpinned``, plans that were told to be kept
        are not.
        """
        base = self.state(at_us)
        catalogue = base.catalogue.with_indexes(add, drop)
        settings = setting_rules.resolve(base.settings, changed)
        known = {canonical(s.sql): (key, s) for key, s in self.database.statements.items()}
        known |= {canonical(s.sql): (key, s) for key, s in base.statements.items()}
        statements, rates, names = {}, {}, {}
        for number, text in enumerate(texts):
            key, declared = known.get(canonical(text.text), ("", UNKNOWN))
            statements[str(number)] = declared.model_copy(update={"sql": text.text})
            rates[str(number)] = text.weight
            names[key] = str(number)
        workers = arrival.workers if arrival and arrival.kind == "closed" else None
        now = replace(
            base.now, settings=settings, statements=statements,
            held={names[k]: replace(h, behind=names.get(h.behind or "")) for k, h in base.now.held.items() if k in names},
            failing={names[k]: share for k, share in base.now.failing.items() if k in names},
            pinned={
                names[k]: plan for k, plan in base.now.pinned.items() if k in names and not (unpinned and k in base.now.pins)
            }, actors=[], transactions=[],
        )  # fmt: skip
        places = {key: int(name) for key, name in names.items() if key}
        weights = [text.weight for text in texts]
        played, single = in_workload(base.now.transactions, places, weights, base.statements)
        state = State(catalogue, now, rates, workers, tuple(played), tuple(single))
        _ = state.plans
        return state

    def draws(self, purpose: int, at_us: int) -> np.random.Generator:
        """A generator of its own for each purpose and moment: what one draws does not move what another does."""
        return np.random.default_rng([self.seed, purpose, at_us // MINUTE_US])

    # load -----------------------------------------------------------------------------------------

    def part(self, statement: StatementSpec, load: float | None = None) -> float:
        """This server's part of the cluster's calls, with the load of its specification or another."""
        load = self.spec.load if load is None else load
        if self.side:  # every worker does a part of every call
            return load
        peers = [s for s in self.cluster.servers if statement.on in ("all", s.role) or s.role == "member"]
        return load / (len(peers) if peers and not self.spec.copy_of else 1)

    def offered(self, state: State, first_minute_us: int, minutes: int) -> Array:
        """Calls per second offered, shape (statements, minutes), with the week's rhythm and seeded noise."""
        at = first_minute_us + np.arange(minutes, dtype=np.int64) * MINUTE_US
        swings = np.exp(self._swing(at))
        shapes: dict[str, Array] = {}
        rows = np.empty((len(state.statements), minutes))
        for number, (key, statement) in enumerate(state.statements.items()):
            if statement.rhythm not in shapes:
                shapes[statement.rhythm] = rhythm(
                    self.scenario.rhythms[statement.rhythm], at, self.scenario.time_zone, self.scenario.holidays
                )
            rows[number] = state.rates[key] * shapes[statement.rhythm] * swings
        return rows

    def _swing(self, at_us: np.ndarray) -> Array:
        """Swings of ten minutes, shared by all statements; drawn by the day, so that any span agrees."""
        days, which = np.unique(at_us // DAY_US, return_inverse=True)
        drawn = np.stack([np.random.default_rng([self.load_seed, 7, int(day)]).normal(0, SWING, 144) for day in days])
        return np.asarray(drawn[which, at_us % DAY_US // (10 * MINUTE_US)])
