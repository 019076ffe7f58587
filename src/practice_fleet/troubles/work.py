"""Work that is new, more, or more than needed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import sqlglot
from pydantic import Field
from sqlglot import exp

from practice_fleet.conditions import Conditions
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.troubles.base import BaseTrouble, Said, known


class NewStatement(BaseTrouble):
    """A release brings a statement that was not there."""

    cause: Literal["new_statement"]
    statement: StatementSpec

    @property
    def key(self) -> str:
        return f"new_{self.statement.service}"

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        return {self.key: self.statement}

    def change(self, now: Conditions, hours: float) -> None:
        now.statements[self.key] = self.statement

    def says(self, server: str) -> list[Said]:
        return [
            Said(
                0, "info", f"{self.statement.service} connected with a new version", "software", self.statement.service
            )
        ]


class _OneStatement(BaseTrouble):
    statement: str = Field(description="key of the statement")

    def check(self, database: DatabaseSpec) -> None:
        known(self.statement, dict(database.statements), "statement")


class WideSelect(_OneStatement):
    """A release asks for every column and far more rows than it uses: it filters and cuts off by itself.

    Of the conditions only the first is left, and there is no limit.
    """

    cause: Literal["wide_select"]

    def check(self, database: DatabaseSpec) -> None:
        super().check(database)
        tree = sqlglot.parse_one(database.statements[self.statement].sql, read="postgres")
        if not isinstance(tree, exp.Select) or tree.args.get("group"):
            raise ValueError(f"statement {self.statement} does not select rows that could be wider")

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        if self.statement not in statements:
            return {}
        spec = statements[self.statement]
        tree = sqlglot.parse_one(spec.sql, read="postgres")
        tree.set("expressions", [exp.Star()])
        tree.set("limit", None)
        if (where := tree.args.get("where")) is not None:
            where.set("this", next(iter(where.this.flatten())) if isinstance(where.this, exp.And) else where.this)
        return {f"wide_{self.statement}": spec.model_copy(update={"sql": tree.sql("postgres")})}

    def change(self, now: Conditions, hours: float) -> None:
        now.statements |= self.brings(now.statements)
        now.speed_up(self.statement, 0.0)

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", "an application connected with a new version", "software")]


class ManySmallCalls(_OneStatement):
    """An application asks row by row instead of once: many calls of a few hundred microseconds."""

    cause: Literal["many_small_calls"]
    size: float = Field(20, gt=1, description="calls ÷ calls before")

    def change(self, now: Conditions, hours: float) -> None:
        now.speed_up(self.statement, self.size)

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", "an application connected with a new version", "software")]


class OverFetch(_OneStatement):
    """A statement matches far more rows than before, and all of them are sent."""

    cause: Literal["over_fetch"]
    size: float = Field(2000, gt=0, description="rows that match")

    def change(self, now: Conditions, hours: float) -> None:
        if self.statement in now.statements:
            spec = now.statements[self.statement]
            now.statements[self.statement] = spec.model_copy(update={"matching_rows": self.size})


class FailingStatement(_OneStatement):
    """A share of a statement's calls fails."""

    cause: Literal["failing_statement"]
    size: float = Field(0.3, gt=0, le=1, description="share of the calls that fail")

    def change(self, now: Conditions, hours: float) -> None:
        now.fail(self.statement, self.size, "value too long for its column")


class SessionFlood(BaseTrouble):
    """An application opens sessions without end, and each asks as usual: the session limit is near."""

    cause: Literal["session_flood"]
    size: float = Field(3, gt=1, description="sessions and calls ÷ before")

    def change(self, now: Conditions, hours: float) -> None:
        for statement in now.statements:
            now.speed_up(statement, self.size)
        now.sessions = min(now.sessions * self.size, float(now.settings["max_sessions"]))
