"""Jobs that run while people work: a backup, statistics gathered, rows loaded; and releases of the engine."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import Field

from practice_fleet.actors import Actor
from practice_fleet.conditions import Conditions
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.scenario.units import PAGE_BYTES, Bytes
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.troubles.base import BaseTrouble, Said, known
from practice_fleet.troubles.planning import PlanFlip


class _Job(BaseTrouble):
    """One session that reads the data volume while others work."""

    def _session(self) -> Actor:
        raise NotImplementedError

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        return {self._session().key: self._session().statement}

    def change(self, now: Conditions, hours: float) -> None:
        now.act(self._session())


class BackupInRush(_Job):
    """A backup reads the whole database while people work."""

    cause: Literal["backup_in_rush"]
    size: Bytes = Field(80_000_000, description="bytes read per second")

    def _session(self) -> Actor:
        events = {"running": 0.2, "page_read": 0.6, "send_rows": 0.2}
        return Actor("backup", "BACKUP DATABASE", "backup", "backup", self.whole_time, events)

    def change(self, now: Conditions, hours: float) -> None:
        super().change(now, hours)
        now.background_reads_per_s += self.size / PAGE_BYTES
        now.count("pages_read", self.size / PAGE_BYTES)


class StatisticsJobInRush(_Job):
    """Statistics of a table are gathered from all of its rows while people work."""

    cause: Literal["statistics_job_in_rush"]
    table: str = Field(description="table whose statistics are gathered")
    size: float = Field(4000, gt=0, description="pages read per second")

    def check(self, database: DatabaseSpec) -> None:
        known(self.table, dict(database.tables), "table")

    def _session(self) -> Actor:
        events = {"running": 0.5, "page_read": 0.5}
        return Actor(f"analyze_{self.table}", f"ANALYZE {self.table}", "upkeep", "upkeep", self.whole_time, events)

    def change(self, now: Conditions, hours: float) -> None:
        super().change(now, hours)
        now.background_reads_per_s += self.size
        now.background_cores += 1
        now.count("pages_read", self.size)


class BurstCreditUsedUp(_Job):
    """A job reads so much that the credit of a volume is used up, and all are held to its lasting limit."""

    cause: Literal["burst_credit_used_up"]
    size: float = Field(2000, gt=0, description="pages that the job reads per second")

    def idle_on(self, role: str, host: HostSpec) -> str | None:
        return None if host.data_volume.burst_operations_per_s else "its data volume has no burst_operations_per_s"

    def _session(self) -> Actor:
        events = {"running": 0.1, "page_read": 0.9}
        return Actor("export", "COPY catalogue_export TO STDOUT", "export", "export", self.whole_time, events)

    def change(self, now: Conditions, hours: float) -> None:
        super().change(now, hours)
        now.background_reads_per_s += self.size
        now.count("pages_read", self.size)


class PlanRegressed(PlanFlip):
    """The engine is upgraded, and the new version thinks a column far less selective: a plan becomes a scan."""

    cause: Literal["plan_regressed_after_upgrade"]  # type: ignore[assignment]
    version: str = Field("2.0", description="version of the engine from then on")

    @property
    def restarts(self) -> bool:
        return True

    def change(self, now: Conditions, hours: float) -> None:
        super().change(now, hours)
        now.version = self.version

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", f"started with version {self.version}", "software")]


class ClockOff(BaseTrouble):
    """The clock of the host is wrong."""

    cause: Literal["clock_off"]
    size: float = Field(420, description="seconds that it is ahead; below 0 when it is behind")

    def change(self, now: Conditions, hours: float) -> None:
        now.clock_off_s = self.size
