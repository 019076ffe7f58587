"""What happens between a primary and its replicas: changes applied slowly, queries in their way, log kept for who is gone."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import Field

from practice_fleet.actors import Actor
from practice_fleet.conditions import Conditions
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.units import Bytes
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.troubles.base import BaseTrouble, Said, known


class ReplicaBehind(BaseTrouble):
    """A replica applies changes more slowly than it did; it falls behind whenever more comes than it does."""

    acts_on = frozenset({"replica"})
    cause: Literal["replica_behind"]
    why: Literal["one_process", "volume", "processor", "reader"] = Field(
        "one_process",
        description="what it lacks: the one process that applies has more to do for each change, its volume is slow, others take its "
        "cores, or a report on it must be waited for",
    )
    size: float = Field(
        80,
        gt=1,
        description="one_process: its time for a change ÷ before; volume: latency ÷ before; processor: cores that others want",
    )

    @property
    def _reader(self) -> Actor:
        return Actor(
            "replica_report", "SELECT * FROM report_of_the_day", "reports", "reports", self.whole_time,
            {"running": 0.5, "page_read": 0.5},
        )  # fmt: skip

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        return {self._reader.key: self._reader.statement} if self.why == "reader" else {}

    def change(self, now: Conditions, hours: float) -> None:
        if self.why == "one_process":
            now.apply_slowdown = self.size
        elif self.why == "volume":
            now.change_data_volume(latency_s=min(1.0, now.host.data_volume.latency_s * self.size))
        elif self.why == "processor":
            now.background_cores += self.size
        else:
            now.long_reader = True
            now.act(self._reader)


class ReplicaQueryCancelled(BaseTrouble):
    """Queries on a replica are ended because the log takes away rows that they still need."""

    acts_on = frozenset({"replica"})
    cause: Literal["replica_query_cancelled"]
    statement: str = Field(description="key of the statement whose calls are ended")
    size: float = Field(0.2, gt=0, le=1, description="share of its calls")

    def check(self, database: DatabaseSpec) -> None:
        known(self.statement, dict(database.statements), "statement")

    def change(self, now: Conditions, hours: float) -> None:
        if self.statement in now.statements:
            now.fail(self.statement, self.size, "call cancelled: rows that it needed were removed by the log")


class LogKept(BaseTrouble):
    """The primary keeps all log for a replica that is gone: the volume of the log fills."""

    acts_on = frozenset({"primary", "single"})
    cause: Literal["log_kept_for_lost_replica"]
    size: Bytes = Field(500_000_000, description="bytes of log that are kept each hour")
    replica: str = Field("former-replica", description="name of the replica that is gone")

    @property
    def grows(self) -> bool:
        return True

    def levels(self, hours: float) -> dict[str, float]:
        kept = self.size * hours
        return {"volume_used.log": kept, f"log_kept_bytes.{self.replica}": kept, "replicas_connected": -1.0}

    def says(self, server: str) -> list[Said]:
        return [Said(0, "warning", f"connection of replica {self.replica} was closed unexpectedly")]


class ColdCache(BaseTrouble):
    """The server takes over from another one: neither it nor its host has any page in memory yet."""

    cause: Literal["cold_cache_after_failover"]
    size: float = Field(40, gt=0, le=1440, description="minutes until its caches are as full as they were")

    @property
    def grows(self) -> bool:
        return True

    def restart_moments(self, anchor_us: int) -> list[int]:
        return [self.start_us(anchor_us)]

    def change(self, now: Conditions, hours: float) -> None:
        if (filled := hours * 60 / self.size) < 1:
            now.system_cache_share = filled
            now.cache_filled_bytes = max(2.0**20, float(now.settings["buffer_cache_bytes"]) * filled)

    def says(self, server: str) -> list[Said]:
        return [Said(0, "warning", "took over as primary: the former one does not answer", "software")]
