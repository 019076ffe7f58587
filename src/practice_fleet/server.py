"""One practice server: its settings, indexes and plans at any moment, and the load it has then."""

from __future__ import annotations

import zlib
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from hardy_gauge.probes.protocol import IndexSpec, PlayStatement
from practice_fleet import settings as setting_rules
from practice_fleet.access import Costing
from practice_fleet.catalogue import Catalogue
from practice_fleet.demand import Visits, cache_hits, visits
from practice_fleet.plan import Node
from practice_fleet.planner import plan
from practice_fleet.query import canonical
from practice_fleet.queueing import Array
from practice_fleet.scenario import PAGE_BYTES, ClusterSpec, Scenario, ServerSpec, StatementSpec

MINUTE_US = 60_000_000
HOUR_US = 60 * MINUTE_US
DAY_US = 24 * HOUR_US
MONDAY_US = 4 * DAY_US  # 1970-01-05 was a Monday


@dataclass(frozen=True)
class State:
    """What decides the demands: indexes, settings and the mix. Plans and hit ratios follow from it."""

    catalogue: Catalogue
    settings: dict[str, setting_rules.Value]
    statements: dict[str, StatementSpec]
    rates: dict[str, float]
    cluster: ClusterSpec

    @cached_property
    def plans(self) -> dict[str, Node]:
        costing = self.costing
        return {key: plan(self.catalogue, statement, costing) for key, statement in self.statements.items()}

    @property
    def costing(self) -> Costing:
        return Costing(float(self.settings["random_page_cost"]), float(self.settings["sort_memory_bytes"]))

    @cached_property
    def hits(self) -> dict[str, float]:
        pages = float(self.settings["buffer_cache_bytes"]) / PAGE_BYTES
        return cache_hits(self.catalogue, self.plans, self.rates, pages)

    @cached_property
    def visits(self) -> dict[str, Visits]:
        host = self.cluster.host
        return {
            key: visits(self.catalogue, self.plans[key], statement, self.hits, host, self.settings)
            for key, statement in self.statements.items()
        }


class PracticeServer:
    """A server of the scenario, seen at any time from ``start_us`` on; ``anchor_us`` is the demo's first start."""

    def __init__(self, scenario: Scenario, cluster: ClusterSpec, spec: ServerSpec, anchor_us: int) -> None:
        self.scenario, self.cluster, self.spec, self.anchor_us = scenario, cluster, spec, anchor_us
        self.start_us = (anchor_us - int(scenario.history_days * DAY_US)) // HOUR_US * HOUR_US
        self.seed = zlib.crc32(f"{scenario.seed}/{spec.name}".encode())
        self.settings = setting_rules.resolve(cluster.settings, spec.settings)
        self.statements = {k: s for k, s in scenario.statements.items() if self._runs(s)}
        self._states: dict[frozenset[str], State] = {}

    def _runs(self, statement: StatementSpec) -> bool:
        if self.cluster.database != self.scenario.clusters[0].database:
            return False
        role = "primary" if self.spec.copy_of else self.spec.role
        return statement.on == "all" or statement.on == role

    def dropped(self, at_us: int) -> frozenset[str]:
        """Indexes that troubles have taken away by then."""
        return frozenset(
            t.index
            for t in self.scenario.troubles
            if self.spec.name in t.servers and at_us >= self.anchor_us - t.start_minutes_ago * MINUTE_US
        )

    def state(self, at_us: int) -> State:
        gone = self.dropped(at_us)
        if gone not in self._states:
            rates = {key: s.rate * self._part(s) for key, s in self.statements.items()}
            catalogue = Catalogue.of(self.scenario, gone)
            self._states[gone] = State(catalogue, self.settings, self.statements, rates, self.cluster)
        return self._states[gone]

    def trial_state(
        self, at_us: int, texts: list[PlayStatement], changed: dict[str, setting_rules.Value],
        add: Iterable[IndexSpec], drop: Iterable[str],
    ) -> State:  # fmt: skip
        """The state with a workload, settings and indexes of its own; Refused names what cannot be."""
        catalogue = self.state(at_us).catalogue.with_indexes(add, drop)
        settings = setting_rules.resolve(self.settings, changed)
        known = {canonical(s.sql): s for s in self.scenario.statements.values()}
        statements, rates = {}, {}
        for number, text in enumerate(texts):
            declared = known.get(canonical(text.text))
            statements[str(number)] = declared or StatementSpec(
                sql=text.text, service="trial", user="trial", rate=1, rhythm=next(iter(self.scenario.rhythms))
            )
            rates[str(number)] = text.weight
        state = State(catalogue, settings, statements, rates, self.cluster)
        _ = state.visits
        return state

    def _part(self, statement: StatementSpec) -> float:
        """This server's part of the cluster's calls."""
        peers = [s for s in self.cluster.servers if statement.on in ("all", s.role)] or [self.spec]
        return self.spec.load / (len(peers) if not self.spec.copy_of else 1)

    def offered(self, first_minute_us: int, minutes: int) -> Array:
        """Calls per second offered, shape (statements, minutes), with the week's rhythm and seeded noise."""
        at = first_minute_us + np.arange(minutes, dtype=np.int64) * MINUTE_US
        hour = at % DAY_US / HOUR_US
        weekday = (at - MONDAY_US) // DAY_US % 7
        # ten-minute swings shared by all statements, drawn per ten-minute block so that any span agrees
        block = at // (10 * MINUTE_US)
        swing = np.array([np.random.default_rng([self.seed, 7, int(b)]).normal(0, 0.06) for b in np.unique(block)])
        swings = np.exp(swing[np.searchsorted(np.unique(block), block)])
        rows = []
        for statement in self.statements.values():
            rhythm = self.scenario.rhythms[statement.rhythm]
            shape = np.interp(hour - 0.5, np.arange(-1, 25), [rhythm.hours[-1], *rhythm.hours, rhythm.hours[0]])
            if 0 in rhythm.hours:  # a job with a start and an end, not a tide
                shape = np.array(rhythm.hours)[hour.astype(int)]
            rows.append(statement.rate * self._part(statement) * shape * np.array(rhythm.weekdays)[weekday] * swings)
        return np.array(rows).reshape(len(self.statements), minutes)
