"""Plans that no longer fit: what the planner believes is old, or a plan is kept for values it was not made for."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from practice_fleet.conditions import Conditions, Kinds
from practice_fleet.planner.access import Costing
from practice_fleet.planner.catalogue import Catalogue
from practice_fleet.planner.choose import plan
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.troubles.base import BaseTrouble, Said, known


class StaleStatistics(BaseTrouble):
    """A table is loaded with many rows at once, and the planner goes on believing the old number."""

    cause: Literal["stale_statistics"]
    table: str
    size: float = Field(200, gt=1, description="rows there are ÷ rows the planner believes")

    def check(self, database: DatabaseSpec) -> None:
        known(self.table, dict(database.tables), "table")

    def change(self, now: Conditions, hours: float) -> None:
        table = now.tables[self.table]
        now.believed[self.table] = table.model_copy(update={"rows": max(1.0, table.rows / self.size)})

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", f"bulk load into {self.table} finished")]


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
        spec = now.statements[self.statement]
        catalogue = Catalogue.of(now.tables, now.without)
        node = plan(
            catalogue, spec, Costing(float(now.settings["random_read_cost"]), float(now.settings["sort_memory_bytes"]))
        )
        now.pinned[self.statement] = node.key()
        rows = max(step.rows_true for step in node.walk())
        kinds = now.kinds[self.statement] = Kinds(self.share, self.size)
        now.statements[self.statement] = spec.model_copy(update={"matching_rows": max(rows, 1.0) * kinds.mean})
