"""Sessions that wait for rows others keep."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import Field, model_validator

from practice_fleet.actors import FOR_GOOD_S, Actor
from practice_fleet.conditions import Conditions
from practice_fleet.physics.locks import Hold
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.troubles.base import BaseTrouble, Said, known


def changes_rows(statement: str, database: DatabaseSpec) -> None:
    """ValueError when the statement is not there or takes no locks."""
    known(statement, dict(database.statements), "statement")
    if database.statements[statement].sql.split()[0].upper() == "SELECT":
        raise ValueError(f"statement {statement} changes no rows, so it waits for none")


class _Locks(BaseTrouble):
    statement: str = Field(description="key of a statement that changes rows")

    def check(self, database: DatabaseSpec) -> None:
        changes_rows(self.statement, database)


class HotRow(_Locks):
    """All calls of a statement change the same few rows."""

    cause: Literal["hot_row"]
    size: int = Field(1, ge=1, description="rows that are changed")

    def change(self, now: Conditions, hours: float) -> None:
        if self.statement not in now.statements:
            return
        spec = now.statements[self.statement]
        now.statements[self.statement] = spec.model_copy(update={"hot_rows": self.size})


class IdleTransaction(_Locks):
    """A session changed rows and then does nothing: whoever wants the same rows waits, and upkeep is held back."""

    cause: Literal["idle_transaction"]
    size: float = Field(0.15, gt=0, description="seconds that a call waits on average")
    lasts_s: float = Field(20, gt=0, description="seconds that the transaction stays open each time")

    @model_validator(mode="after")
    def _can_be(self) -> IdleTransaction:
        if self.size > self.lasts_s / 2:
            raise ValueError(
                f"size is {self.size:g}; a wait of half of lasts_s on average ({self.lasts_s / 2:g}) is the most"
            )
        return self

    def hold(self) -> Hold:
        return Hold(self.lasts_s, self.lasts_s**2 / (2 * self.size))

    def change(self, now: Conditions, hours: float) -> None:
        now.held[self.statement] = self.hold()

    def says(self, server: str) -> list[Said]:
        return [Said(60, "warning", f"a call of {self.statement} still waits for a row after 1 s")]


class LockChain(IdleTransaction):
    """Calls that wait for an idle session keep rows of their own, and the next ones wait for those."""

    cause: Literal["lock_chain"]  # type: ignore[assignment]
    then: str = Field(description="key of the statement whose calls wait for the calls that wait")

    def check(self, database: DatabaseSpec) -> None:
        super().check(database)
        changes_rows(self.then, database)
        if self.then == self.statement:
            raise ValueError(f"then is {self.then}, as statement is; a chain needs two statements")

    def change(self, now: Conditions, hours: float) -> None:
        super().change(now, hours)
        whole = self.hold()
        now.held[self.then] = Hold(whole.lasts_s, whole.every_s, behind=self.statement)

    def says(self, server: str) -> list[Said]:
        return [*super().says(server), Said(61, "warning", f"a call of {self.then} still waits for a row after 1 s")]


class Deadlocks(_Locks):
    """Calls change several of the same rows, each in an order of its own: some wait in a circle, and one is given up."""

    cause: Literal["deadlocks"]
    size: int = Field(60, ge=2, le=100_000, description="rows among which the locks fall; fewer make more deadlocks")
    locked_rows: int = Field(4, ge=2, le=16, description="rows that a call locks")

    def change(self, now: Conditions, hours: float) -> None:
        how = {"hot_rows": self.size, "locked_rows": self.locked_rows, "lock_order": "any"}
        if self.statement in now.statements:
            now.statements[self.statement] = now.statements[self.statement].model_copy(update=how)


class SchemaChangeQueue(BaseTrouble):
    """A change of a table's schema waits for a report that reads the table, and everyone who wants the table waits behind it."""

    cause: Literal["schema_change_queue"]
    table: str = Field(description="the table that is changed")
    lasts_s: float = Field(45, gt=0, description="seconds that the change waits each time")
    every_s: float = Field(1800, gt=0, description="seconds from one try to the next")

    def check(self, database: DatabaseSpec) -> None:
        known(self.table, dict(database.tables), "table")

    @model_validator(mode="after")
    def _ends_before_the_next(self) -> SchemaChangeQueue:
        if self.lasts_s >= self.every_s:
            raise ValueError(f"lasts_s is {self.lasts_s:g}; it must be less than every_s, which is {self.every_s:g}")
        return self

    def _sessions(self) -> tuple[Actor, Actor]:
        """The report, which is over when the change gets its turn, and the change."""
        times = Hold(self.lasts_s, self.every_s)
        report = Actor(
            f"report_{self.table}",
            f"SELECT * FROM {self.table}",
            "reports",
            "reports",
            times,
            {"running": 0.4, "page_read": 0.6},
        )
        change = Actor(
            f"alter_{self.table}", f"ALTER TABLE {self.table} ADD COLUMN note text", "owner", "deployment", times,
            {"object_lock": 1.0}, waits_for=report.key,
        )  # fmt: skip
        return report, change

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        return {one.key: one.statement for one in self._sessions()}

    def change(self, now: Conditions, hours: float) -> None:
        report, change = self._sessions()
        now.act(report)
        now.act(change)
        now.hold_table(self.table, Hold(self.lasts_s, self.every_s, whole=True, by=change.key), readers=True)

    def says(self, server: str) -> list[Said]:
        return [Said(1, "warning", f"ALTER TABLE {self.table} still waits for the table after 1 s")]


class PreparedTransactionLeft(_Locks):
    """A transaction that was prepared to commit on two servers was never ended: no session has it, and its rows stay locked."""

    cause: Literal["prepared_transaction_left"]
    size: int = Field(3, ge=1, description="rows that stay locked")
    share: float = Field(0.002, gt=0, le=1, description="of the statement's calls, those that want one of them")
    patience_s: float = Field(30, gt=0, description="seconds after which a caller gives up")

    def change(self, now: Conditions, hours: float) -> None:
        # of every share of the calls that comes, each waits for as long as it is patient
        now.held[self.statement] = Hold(
            FOR_GOOD_S, 2 * FOR_GOOD_S, nobody=True, of_calls=self.share, patience_s=self.patience_s
        )

    def levels(self, hours: float) -> dict[str, float]:
        return {"prepared_transactions": 1.0, "oldest_transaction_s": hours * 3600}
