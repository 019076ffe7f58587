"""Indexes built and dropped, plans pinned."""

from __future__ import annotations

from dataclasses import dataclass, field

from hardy_gauge.probes.protocol import IndexSpec, Refused
from practice_fleet.conditions import Conditions
from practice_fleet.operations.base import Operation, led_from, whole_cluster
from practice_fleet.physics.locks import BUILDING
from practice_fleet.planner.catalogue import make_index
from practice_fleet.server import PracticeServer
from practice_fleet.troubles.base import Said

BUILD_PAGES_PER_S = 6000.0


@dataclass
class BuildIndex(Operation):
    """Build an index: its table is read and the index written first, and only then is it used.

    For a moment each minute it keeps the table to itself, and whoever writes there waits. Every server of the
    cluster builds it.
    """

    spec: IndexSpec = field(default_factory=lambda: IndexSpec(table="", columns=["id"]))
    ready_us: int = 0

    def prepare(self, server: PracticeServer) -> None:
        led_from(server, "schema")
        catalogue = server.state(self.at_us).catalogue
        index = make_index(catalogue.tables, self.spec)
        if index.name in catalogue.indexes:
            raise Refused(f"index '{index.name}' is there already", "name")
        pages = catalogue.tables[self.spec.table].pages + index.pages
        self.ready_us = self.at_us + int(max(pages / BUILD_PAGES_PER_S, 1.0) * 1e6)

    def reaches(self, server: PracticeServer) -> list[PracticeServer]:
        return whole_cluster(server)

    def stage(self, at_us: int, anchor_us: int) -> int:
        return int(at_us >= self.ready_us)

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        return [self.at_us, self.ready_us]

    def change(self, now: Conditions, hours: float) -> None:
        if self.at_us + hours * 3.6e9 >= self.ready_us:
            now.added.append(self.spec)
        else:
            now.background_pages_per_s += BUILD_PAGES_PER_S / 4
            now.background_cores += 1
            now.hold_table(self.spec.table, BUILDING)

    def says(self, server: str) -> list[Said]:
        built = Said(
            (self.ready_us - self.at_us) / 1e6, "info", f"index on {self.spec.table} built", "schema", self.spec.table
        )
        return [Said(0, "info", f"building an index on {self.spec.table} ({', '.join(self.spec.columns)})"), built]


@dataclass
class DropIndex(Operation):
    """Drop an index, on every server of the cluster."""

    name: str = ""

    def prepare(self, server: PracticeServer) -> None:
        led_from(server, "schema")
        indexes = server.state(self.at_us).catalogue.indexes
        if self.name not in indexes:
            raise Refused(f"no index '{self.name}'; there are: {', '.join(sorted(indexes))}", "name")

    def reaches(self, server: PracticeServer) -> list[PracticeServer]:
        return whole_cluster(server)

    def change(self, now: Conditions, hours: float) -> None:
        now.without.add(self.name)
        now.added = [spec for spec in now.added if spec.name != self.name]

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", f"index {self.name} dropped", "schema", self.name)]


@dataclass
class Pin(Operation):
    """Keep one plan for a statement, or with no plan let the planner choose again."""

    statement: str = ""
    plan_key: str | None = None

    def prepare(self, server: PracticeServer) -> None:
        if self.statement not in server.every_statement:
            raise Refused(f"no statement '{self.statement}'", "statement")

    def change(self, now: Conditions, hours: float) -> None:
        now.pinned.pop(self.statement, None)
        now.pins.pop(self.statement, None)
        if self.plan_key is not None:
            now.pinned[self.statement] = self.plan_key
            now.pins[self.statement] = self.at_us

    def says(self, server: str) -> list[Said]:
        words = f"plan {self.plan_key} pinned for" if self.plan_key else "plan unpinned for"
        return [Said(0, "info", f"{words} {self.statement}", "schema", self.statement)]
