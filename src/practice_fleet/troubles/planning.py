"""Plans that no longer fit: what the planner believes is old, or a plan is kept for values it was not made for."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import numpy as np
from pydantic import Field

from practice_fleet.actors import FOR_GOOD_S, Actor
from practice_fleet.conditions import Conditions, Kinds
from practice_fleet.physics.locks import Hold
from practice_fleet.planner.access import Costing
from practice_fleet.planner.catalogue import Catalogue
from practice_fleet.planner.choose import plan
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.data import TableSpec
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.troubles.base import MINUTE_US, BaseTrouble, Said, known

LOAD_STEPS = 10
LOADED = LOAD_STEPS + 1
BEFORE_LOAD_S = 7200.0  # how long before a load statistics were last gathered
LOG_PER_BYTE = 1.2


class StaleStatistics(BaseTrouble):
    """A table is loaded with many rows within minutes, and the planner goes on believing the number of before."""

    cause: Literal["stale_statistics"]
    table: str
    size: float = Field(
        200, gt=1, description="rows there are after the load ÷ rows before, which the planner believes"
    )
    load_minutes: float = Field(10, gt=0, le=1440, description="how long the load takes")

    def check(self, database: DatabaseSpec) -> None:
        known(self.table, dict(database.tables), "table")

    def is_on(self, at_us: int, anchor_us: int) -> bool:
        """Before it begins too: the scenario has the table as it is after the load."""
        end = self.end_us(anchor_us)
        return end is None or at_us < end

    def stage(self, at_us: int, anchor_us: int) -> int:
        """0 before the load, 1 to 10 while rows come in, 11 after it."""
        minutes = (at_us - self.start_us(anchor_us)) / MINUTE_US
        return 0 if minutes < 0 else min(LOADED, 1 + int(minutes / self.load_minutes * LOAD_STEPS))

    def hours(self, at_us: int, anchor_us: int) -> float:
        return float(self.stage(at_us, anchor_us))

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        start, step = self.start_us(anchor_us), self.load_minutes * MINUTE_US / LOAD_STEPS
        return [*super().moments(anchor_us, since_us, until_us), *(int(start + step * n) for n in range(LOADED))]

    @property
    def _load(self) -> Actor:
        times = Hold(self.load_minutes * 60 - 1, 2 * FOR_GOOD_S)
        events = {"running": 0.6, "page_write": 0.2, "log_flush": 0.2}
        return Actor(f"load_{self.table}", f"COPY {self.table} FROM STDIN", "loader", "loader", times, events)

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        return {self._load.key: self._load.statement}

    def change(self, now: Conditions, hours: float) -> None:
        table = now.tables[self.table]
        now.believed[self.table] = table.model_copy(update={"rows": max(1.0, table.rows / self.size)})
        now.just_gathered[self.table] = -BEFORE_LOAD_S
        come = np.clip((hours - 0.5) / LOAD_STEPS, 0.0, 1.0)
        share = (1 + (self.size - 1) * come) / self.size
        now.tables[self.table] = table.model_copy(update={"rows": max(1.0, table.rows * float(share))})
        if 0 < hours < LOADED:
            rows_per_s = table.rows * (1 - 1 / self.size) / (self.load_minutes * 60)
            now.insert_rows(self.table, rows_per_s)
            now.count("log_bytes", rows_per_s * table.row_bytes * LOG_PER_BYTE)
            now.background_pages_per_s += rows_per_s * table.row_bytes / PAGE_BYTES
            now.background_cores += 1
            now.act(self._load)

    def bytes_added(self, tables: Mapping[str, TableSpec], hours: float) -> float:
        come = min(max(hours * 60 / self.load_minutes, 0.0), 1.0)
        return -(1 - come) * (1 - 1 / self.size) * tables[self.table].pages * PAGE_BYTES


class PlanFlip(BaseTrouble):
    """Statistics are gathered at a bad moment: a column looks far less selective, and a plan changes to a scan."""

    cause: Literal["plan_flip"]
    table: str
    column: str
    size: float = Field(5000, gt=1, description="distinct values there are ÷ distinct values the planner now believes")

    def check(self, database: DatabaseSpec) -> None:
        known(self.table, dict(database.tables), "table")
        known(self.column, dict(database.tables[self.table].columns), f"column of {self.table}")

    def change(self, now: Conditions, hours: float) -> None:
        table = now.tables[self.table]
        spec = table.columns[self.column]
        wrong = spec.model_copy(update={"distinct": max(1.0, spec.distinct / self.size)})
        now.believed[self.table] = table.model_copy(update={"columns": table.columns | {self.column: wrong}})
        now.just_gathered[self.table] = 0.0

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", f"statistics of {self.table} gathered", "schema", self.table)]


class ValueSensitivePlan(BaseTrouble):
    """A plan made for a rare value is kept while calls ask for a frequent one."""

    cause: Literal["value_sensitive_plan"]
    statement: str = Field(description="key of the statement")
    size: float = Field(400, gt=1, description="rows that match the frequent value ÷ rows the plan was made for")
    share: float = Field(0.25, gt=0, le=1, description="of the calls, those that ask for the frequent value")

    def check(self, database: DatabaseSpec) -> None:
        known(self.statement, dict(database.statements), "statement")

    def change(self, now: Conditions, hours: float) -> None:
        if self.statement not in now.statements:
            return
        spec = now.statements[self.statement]
        catalogue = Catalogue.of(now.tables, now.without)
        node = plan(
            catalogue, spec, Costing(float(now.settings["random_read_cost"]), float(now.settings["sort_memory_bytes"]))
        )
        now.pinned[self.statement] = node.key()
        rows = max(step.rows_true for step in node.walk())
        kinds = now.kinds[self.statement] = Kinds(self.share, self.size)
        now.statements[self.statement] = spec.model_copy(update={"matching_rows": max(rows, 1.0) * kinds.mean})
