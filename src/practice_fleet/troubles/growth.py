"""What grows slowly until it matters: dead rows, ages, numbers, storage, lag."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from practice_fleet.conditions import Conditions
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.units import Bytes
from practice_fleet.troubles.base import BaseTrouble, Said, known


class _GrowingTable(BaseTrouble):
    table: str = Field(description="the table that grows")
    size: float = Field(0.01, gt=0, description="growth per hour, as a share of the table")

    @property
    def grows(self) -> bool:
        return True

    def check(self, database: DatabaseSpec) -> None:
        known(self.table, dict(database.tables), "table")

    def change(self, now: Conditions, hours: float) -> None:
        now.change_table(self.table, bloat=now.tables[self.table].bloat * (1 + self.size * hours))


class LongTransaction(_GrowingTable):
    """A transaction stays open for hours: nothing dead since then can be cleaned, and tables grow.

    On a replica it reads, and the log that would take away what it still sees has to wait for it.
    """

    cause: Literal["long_transaction"]

    def change(self, now: Conditions, hours: float) -> None:
        super().change(now, hours)
        now.long_reader = True

    def levels(self, hours: float) -> dict[str, float]:
        return {"oldest_transaction_s": hours * 3600}


class Bloat(_GrowingTable):
    """Dead rows are not cleaned in time: a table has ever more pages for the same rows."""

    cause: Literal["bloat"]

    def levels(self, hours: float) -> dict[str, float]:
        return {"dead_rows_share": min(0.95, self.size * hours / (1 + self.size * hours))}


class UpkeepOff(BaseTrouble):
    """Upkeep is switched off: tables that are changed grow, and the transaction number ages."""

    cause: Literal["upkeep_off"]

    @property
    def grows(self) -> bool:
        return True

    def change(self, now: Conditions, hours: float) -> None:
        now.settings["upkeep_enabled"] = "off"
        now.upkeep_off_hours = hours

    def levels(self, hours: float) -> dict[str, float]:
        return {"unkept_hours": hours}

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", "upkeep_enabled set to off", "setting", "upkeep_enabled")]


class TransactionAge(BaseTrouble):
    """The oldest transaction number is not renewed; at 2³¹ the server stops taking writes."""

    cause: Literal["transaction_age"]
    size: float = Field(900_000, gt=0, description="transactions per hour")

    def levels(self, hours: float) -> dict[str, float]:
        return {"transaction_age": self.size * hours}


class SequenceRunningOut(BaseTrouble):
    """A number sequence of a 32-bit key comes near its end."""

    cause: Literal["sequence_running_out"]
    sequence: str
    used: float = Field(0.8, gt=0, lt=1, description="share of its numbers that is used at the start")
    size: float = Field(0.0004, gt=0, description="share that is used each hour")

    def levels(self, hours: float) -> dict[str, float]:
        return {f"sequence_used.{self.sequence}": min(1.0, self.used + self.size * hours)}


class StorageFilling(BaseTrouble):
    """The data volume fills faster than it did."""

    cause: Literal["storage_filling"]
    size: Bytes = Field(4_000_000_000, description="bytes more each hour")

    def levels(self, hours: float) -> dict[str, float]:
        return {"volume_used.data": self.size * hours}


class ReplicaBehind(BaseTrouble):
    """A replica applies each change far more slowly than it did; it falls behind whenever more comes than it does."""

    cause: Literal["replica_behind"]
    size: float = Field(80, gt=1, description="time to apply one change ÷ time before")

    def change(self, now: Conditions, hours: float) -> None:
        now.apply_slowdown = self.size
