"""What can be done to a practice server through the protocol, with what it costs.

An operation is an influence like a trouble, with its moment given by the clock: it goes on changing the
server's conditions from then on, so that history, live feed and trials all follow.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from hardy_gauge.probes.protocol import IndexSpec, Refused
from practice_fleet import settings as rules
from practice_fleet.conditions import Conditions
from practice_fleet.planner.catalogue import make_index
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.server import HOUR_US, MINUTE_US, PracticeServer
from practice_fleet.troubles.base import STAGE_HOURS, Said
from practice_fleet.troubles.members import BUILDING

BUILD_PAGES_PER_S = 6000.0
COLD_STEPS = 6
STEP_US = STAGE_HOURS * HOUR_US
MOVED_BYTES_PER_S = 60e6
SLOWER_WHILE_GROWING = 1.4


@dataclass
class Operation:
    """Something done at ``at_us``; it lasts, and has no end unless its class says so."""

    at_us: int

    def prepare(self, server: PracticeServer) -> None:
        """Look whether it can be done; Refused says why not."""

    def start_us(self, anchor_us: int) -> int:
        return self.at_us

    def end_us(self, anchor_us: int) -> int | None:
        return None

    def is_on(self, at_us: int, anchor_us: int) -> bool:
        end = self.end_us(anchor_us)
        return at_us >= self.at_us and (end is None or at_us < end)

    def stage(self, at_us: int, anchor_us: int) -> int:
        return 0

    def hours(self, at_us: int, anchor_us: int) -> float:
        return (at_us - self.start_us(anchor_us)) / 3.6e9

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        """When it changes what it does."""
        return [self.start_us(anchor_us)]

    def change(self, now: Conditions, hours: float) -> None: ...

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        return {}

    def levels(self, hours: float) -> dict[str, float]:
        return {}

    def says(self, server: str) -> list[Said]:
        return []


@dataclass
class SetSetting(Operation):
    """Change a setting; one that applies at a restart waits for the next.

    Upkeep switched off has an effect that grows, in steps of six hours.
    """

    name: str = ""
    value: rules.Value = 0
    effective_us: int | None = None

    def prepare(self, server: PracticeServer) -> None:
        self.value = rules.check(self.name, self.value)
        if rules.CATALOGUE[self.name].applies == "at once":
            self.effective_us = self.at_us

    @property
    def _grows(self) -> bool:
        return (self.name, self.value) == ("upkeep_enabled", "off")

    def start_us(self, anchor_us: int) -> int:
        return self.at_us if self.effective_us is None else self.effective_us

    def is_on(self, at_us: int, anchor_us: int) -> bool:
        return self.effective_us is not None and at_us >= self.effective_us

    def stage(self, at_us: int, anchor_us: int) -> int:
        return (at_us - self.start_us(anchor_us)) // STEP_US if self._grows else 0

    def hours(self, at_us: int, anchor_us: int) -> float:
        return float(self.stage(at_us, anchor_us) * STAGE_HOURS)

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        start = self.start_us(anchor_us)
        first = start + max(0, -(-(since_us - start) // STEP_US)) * STEP_US
        return [start, *(range(first, until_us, STEP_US) if self._grows else ())]

    def change(self, now: Conditions, hours: float) -> None:
        now.settings[self.name] = self.value
        if self._grows:
            now.upkeep_off_hours = hours

    def levels(self, hours: float) -> dict[str, float]:
        return {"unkept_hours": hours} if self._grows else {}

    def says(self, server: str) -> list[Said]:
        if self.effective_us is None:
            return [Said(0, "info", f"{self.name} will be {self.value} after the next restart")]
        return [Said(0, "info", f"{self.name} set to {self.value}", "setting", self.name)]


@dataclass
class Restart(Operation):
    """Restart the server: counters begin again, waiting settings take effect, and the cache is empty at first."""

    def prepare(self, server: PracticeServer) -> None:
        for influence in server.influences:
            if isinstance(influence, SetSetting) and influence.effective_us is None:
                influence.effective_us = self.at_us
        state = server.state(self.at_us)
        pages = float(state.settings["buffer_cache_bytes"]) / PAGE_BYTES
        per_s = sum(state.rates[key] * visit.pages_requested for key, visit in state.visits.items())
        self.fill_us = int(min(pages / max(per_s * 0.3, 1.0), 3600.0) * 1e6)
        self.warm = float(state.settings["cache_warm_fraction"])

    fill_us: int = 0
    warm: float = 0.0

    def end_us(self, anchor_us: int) -> int | None:
        return self.at_us + max(self.fill_us, MINUTE_US)

    def stage(self, at_us: int, anchor_us: int) -> int:
        return min(COLD_STEPS - 1, (at_us - self.at_us) * COLD_STEPS // max(self.fill_us, MINUTE_US))

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        step = max(self.fill_us, MINUTE_US) // COLD_STEPS
        return [self.at_us + step * number for number in range(COLD_STEPS + 1)]

    def change(self, now: Conditions, hours: float) -> None:
        filled = (1 + int(hours * 3.6e9 * COLD_STEPS / max(self.fill_us, MINUTE_US))) / COLD_STEPS
        cold = float(now.settings["buffer_cache_bytes"]) * min(1.0, max(filled, self.warm))
        now.cache_filled_bytes = max(float(2**20), cold)
        if self.warm and filled <= 1 / COLD_STEPS:  # reading the old pages back is work of its own
            read_back = self.warm * float(now.settings["buffer_cache_bytes"]) / PAGE_BYTES
            now.background_pages_per_s += read_back / (max(self.fill_us, MINUTE_US) / COLD_STEPS / 1e6)

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", "server restarted", "software")]


@dataclass
class BuildIndex(Operation):
    """Build an index: its table is read and the index written first, and only then is it used.

    For a moment each minute it keeps the table to itself, and whoever writes there waits.
    """

    spec: IndexSpec = field(default_factory=lambda: IndexSpec(table="", columns=["id"]))
    ready_us: int = 0

    def prepare(self, server: PracticeServer) -> None:
        catalogue = server.state(self.at_us).catalogue
        index = make_index(catalogue.tables, self.spec)
        if index.name in catalogue.indexes:
            raise Refused(f"index '{index.name}' is there already", "name")
        pages = catalogue.tables[self.spec.table].pages + index.pages
        self.ready_us = self.at_us + int(max(pages / BUILD_PAGES_PER_S, 1.0) * 1e6)

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
    """Drop an index."""

    name: str = ""

    def prepare(self, server: PracticeServer) -> None:
        indexes = server.state(self.at_us).catalogue.indexes
        if self.name not in indexes:
            raise Refused(f"no index '{self.name}'; there are: {', '.join(sorted(indexes))}", "name")

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
        if self.plan_key is not None:
            now.pinned[self.statement] = self.plan_key

    def says(self, server: str) -> list[Said]:
        words = f"plan {self.plan_key} pinned for" if self.plan_key else "plan unpinned for"
        return [Said(0, "info", f"{words} {self.statement}", "schema", self.statement)]


@dataclass
class EndSession(Operation):
    """End the session that others wait for; what they waited for is over."""

    session: int = 0

    def prepare(self, server: PracticeServer) -> None:
        now = server.conditions(self.at_us)
        holder = int(float(now.settings["max_sessions"]))
        if self.session != holder or not now.held:
            raise Refused(f"session {self.session} holds no one up", "session")

    def change(self, now: Conditions, hours: float) -> None:
        now.held.clear()

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", f"session {self.session} was ended by an administrator")]


@dataclass
class GrowVolume(Operation):
    """Make a volume larger: its contents are spread anew meanwhile, and that slows it."""

    volume: str = "data"
    capacity: int = 0
    done_us: int = 0

    def prepare(self, server: PracticeServer) -> None:
        host = server.state(self.at_us).hardware
        there = {"data": host.data_volume} | ({"log": host.log_volume} if host.log_volume else {})
        if self.volume not in there:
            raise Refused(f"no volume '{self.volume}'; there are: {', '.join(there)}", "volume")
        before = there[self.volume].capacity
        if self.capacity <= before:
            raise Refused(f"the volume has {before} bytes; it can only be made larger than that", "capacity_bytes")
        self.done_us = self.at_us + max(MINUTE_US, int((self.capacity - before) / MOVED_BYTES_PER_S * 1e6))

    def stage(self, at_us: int, anchor_us: int) -> int:
        return int(at_us >= self.done_us)

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        return [self.at_us, self.done_us]

    def change(self, now: Conditions, hours: float) -> None:
        slower = SLOWER_WHILE_GROWING if self.at_us + hours * 3.6e9 < self.done_us else 1.0
        volume, change = now.host.data_volume, now.change_data_volume
        if self.volume == "log":
            volume, change = now.host.log, now.change_log_volume
        change(capacity=self.capacity, latency_s=volume.latency_s * slower)

    def says(self, server: str) -> list[Said]:
        done = Said((self.done_us - self.at_us) / 1e6, "info", f"volume {self.volume} has its full speed again")
        return [Said(0, "info", f"volume {self.volume} grown to {self.capacity} bytes"), done]
