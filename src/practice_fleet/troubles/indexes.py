"""Indexes that are missing, that nothing reads, or that say the same twice."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from hardy_gauge.probes.protocol import IndexSpec
from practice_fleet.conditions import Conditions
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.troubles.base import BaseTrouble, Said, known


class MissingIndex(BaseTrouble):
    """An index is dropped: what it served reads the whole table."""

    cause: Literal["missing_index"]
    index: str = Field(description="name of the index that goes")

    def check(self, database: DatabaseSpec) -> None:
        known(self.index, {i.name for t in database.tables.values() for i in t.indexes}, "index")

    def change(self, now: Conditions, hours: float) -> None:
        now.without.add(self.index)

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", f"index {self.index} dropped", "schema", self.index)]


class _ExtraIndex(BaseTrouble):
    table: str = Field(description="table it is built on")
    columns: list[str] = Field(min_length=1, description="its columns")

    @property
    def _name(self) -> str:
        return f"{self.table}_{'_'.join(self.columns)}_extra"

    def check(self, database: DatabaseSpec) -> None:
        known(self.table, dict(database.tables), "table")
        for column in self.columns:
            known(column, dict(database.tables[self.table].columns), f"column of {self.table}")

    def change(self, now: Conditions, hours: float) -> None:
        now.added.append(IndexSpec(name=self._name, table=self.table, columns=self.columns))

    def says(self, server: str) -> list[Said]:
        text = f"index {self._name} on {self.table} ({', '.join(self.columns)})"
        return [Said(0, "info", text, "schema", self._name)]


class UnusedIndex(_ExtraIndex):
    """An index that no statement reads: every write pays for it, in pages and log."""

    cause: Literal["unused_index"]


class DuplicateIndex(_ExtraIndex):
    """An index whose columns another one has in front: a cost without a use."""

    cause: Literal["duplicate_index"]


class WriteAmplification(BaseTrouble):
    """Many indexes on one table: each write touches all of them, and the log grows with them."""

    cause: Literal["write_amplification"]
    table: str
    size: int = Field(6, ge=1, le=30, description="number of indexes that are added")

    def check(self, database: DatabaseSpec) -> None:
        known(self.table, dict(database.tables), "table")

    def change(self, now: Conditions, hours: float) -> None:
        columns = list(now.tables[self.table].columns)
        for number in range(self.size):
            pair = [columns[number % len(columns)], columns[(number + 1 + number // len(columns)) % len(columns)]]
            name = f"{self.table}_filter_{number}"
            now.added.append(IndexSpec(name=name, table=self.table, columns=list(dict.fromkeys(pair))))

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", f"{self.size} indexes built on {self.table}", "schema", self.table)]
