"""What grows slowly until it matters: dead rows, ages, numbers, storage."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import Field

from practice_fleet.actors import Actor
from practice_fleet.conditions import Conditions
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.data import TableSpec
from practice_fleet.scenario.units import PAGE_BYTES, Bytes
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.transaction_numbers import MOST_AGE
from practice_fleet.troubles.base import HOUR_US, BaseTrouble, Said, known

WARNED_AGE = 40_000_000
MOST_HOURS = 24 * 365 * 100.0


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

    def bytes_added(self, tables: Mapping[str, TableSpec], hours: float) -> float:
        return tables[self.table].pages * PAGE_BYTES * self.size * hours


class LongTransaction(_GrowingTable):
    """A transaction reads for hours: nothing dead since then can be cleaned, and tables grow.

    On a replica the log that would take away what it still sees has to wait for it.
    """

    cause: Literal["long_transaction"]
    service: str = Field("reports", description="application that runs it")
    user: str = Field("reports", description="database user it runs as")

    @property
    def _reader(self) -> Actor:
        sql = f"SELECT * FROM {self.table} ORDER BY 1"
        return Actor(
            f"long_{self.table}", sql, self.user, self.service, self.whole_time, {"running": 0.3, "page_read": 0.7}
        )

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        return {self._reader.key: self._reader.statement}

    def change(self, now: Conditions, hours: float) -> None:
        super().change(now, hours)
        now.long_reader = True
        now.act(self._reader)


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


class _RunsOut(BaseTrouble):
    """Something is used up at one moment; from then on what needs it fails."""

    def hours_left(self) -> float:
        """From its beginning on."""
        raise NotImplementedError

    def _ends_us(self, anchor_us: int) -> int:
        return int(self.start_us(anchor_us) + min(self.hours_left(), MOST_HOURS) * HOUR_US)

    def stage(self, at_us: int, anchor_us: int) -> int:
        return int(at_us >= self._ends_us(anchor_us))

    def hours(self, at_us: int, anchor_us: int) -> float:
        return self.hours_left() if self.stage(at_us, anchor_us) else 0.0

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        return [*super().moments(anchor_us, since_us, until_us), self._ends_us(anchor_us)]


class TransactionAge(_RunsOut):
    """Old rows of a table are no longer frozen, since its own option switches upkeep off, while a job uses up numbers; at 2³¹ the
    server stops taking writes.
    """

    cause: Literal["transaction_age"]
    size: float = Field(900_000, gt=0, description="transactions per hour of the job, which commits row by row")
    table: str | None = Field(None, description="the table that upkeep leaves out; left out: the largest")

    def check(self, database: DatabaseSpec) -> None:
        if self.table is not None:
            known(self.table, dict(database.tables), "table")

    def hours_left(self) -> float:
        return MOST_AGE / self.size

    def change(self, now: Conditions, hours: float) -> None:
        now.unkept_tables.add(self.table or max(now.tables, key=lambda name: now.tables[name].rows))
        now.count("commits", self.size / 3600)
        if hours:
            now.fail_writes("no transaction number is left: nothing is written until old rows are frozen")

    def levels(self, hours: float) -> dict[str, float]:
        return {"transaction_age": min(MOST_AGE, self.size * hours), "unfrozen_hours": hours}

    def says(self, server: str) -> list[Said]:
        warned = (MOST_AGE - WARNED_AGE) / self.size * 3600
        words = f"transaction numbers: {WARNED_AGE:,} are left before nothing can be written"
        return [Said(warned + n * 3600, "warning", words) for n in range(24)]


class SequenceRunningOut(_RunsOut):
    """A number sequence of a 32-bit key comes near its end; when it is there, new rows of its table are refused."""

    cause: Literal["sequence_running_out"]
    sequence: str
    table: str | None = Field(
        None, description="table whose new rows take its numbers; left out: the one it is named after"
    )
    used: float = Field(0.8, gt=0, lt=1, description="share of its numbers that is used at the start")
    size: float = Field(0.0004, gt=0, description="share that is used each hour")

    def check(self, database: DatabaseSpec) -> None:
        if self.table is not None:
            known(self.table, dict(database.tables), "table")

    def hours_left(self) -> float:
        return (1 - self.used) / self.size

    def change(self, now: Conditions, hours: float) -> None:
        named = [name for name in now.tables if self.sequence.startswith(f"{name}_")]
        table = self.table or max(named, key=len, default=None)
        if hours and table is not None:
            now.fail_writes(f"sequence {self.sequence} has no number left", ("insert",), table)

    def levels(self, hours: float) -> dict[str, float]:
        return {f"sequence_used.{self.sequence}": min(1.0, self.used + self.size * hours)}


class StorageFilling(BaseTrouble):
    """The data volume fills faster than it did, by a table or by files beside the tables; when it is full, writes fail."""

    cause: Literal["storage_filling"]
    size: Bytes = Field(4_000_000_000, description="bytes more each hour")
    table: str | None = Field(None, description="table that grows; left out: files beside the tables")

    @property
    def grows(self) -> bool:
        return True

    def check(self, database: DatabaseSpec) -> None:
        if self.table is not None:
            known(self.table, dict(database.tables), "table")

    def change(self, now: Conditions, hours: float) -> None:
        if self.table is not None:
            grown = now.tables[self.table]
            row_bytes = grown.pages * PAGE_BYTES / grown.rows
            now.change_table(self.table, rows=grown.rows + self.size * hours / row_bytes)
            now.insert_rows(self.table, self.size / 3600 / row_bytes)

    def bytes_added(self, tables: Mapping[str, TableSpec], hours: float) -> float:
        return self.size * hours


class TemporaryFilesFill(BaseTrouble):
    """A report sorts for hours and writes ever more temporary files beside the tables; they go when it ends."""

    cause: Literal["temporary_files_fill"]
    size: Bytes = Field(20_000_000_000, description="bytes more each hour")
    table: str = Field(description="table that it sorts")
    service: str = Field("reports", description="application that runs it")

    @property
    def _report(self) -> Actor:
        sql = f"SELECT * FROM {self.table} ORDER BY 1, 2 DESC"
        return Actor(
            f"sort_{self.table}", sql, self.service, self.service, self.whole_time, {"running": 0.4, "temp_file": 0.6}
        )

    def check(self, database: DatabaseSpec) -> None:
        known(self.table, dict(database.tables), "table")

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        return {self._report.key: self._report.statement}

    def change(self, now: Conditions, hours: float) -> None:
        now.act(self._report)
        now.count("temporary_bytes", self.size / 3600)
        now.background_pages_per_s += self.size / 3600 / PAGE_BYTES

    def bytes_added(self, tables: Mapping[str, TableSpec], hours: float) -> float:
        return self.size * hours
