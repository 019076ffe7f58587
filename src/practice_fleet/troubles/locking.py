"""Sessions that wait for rows others keep."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from practice_fleet.conditions import Conditions
from practice_fleet.physics.locks import Hold
from practice_fleet.scenario.clusters import DatabaseSpec
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
    size: int = Field(40, ge=2, le=100_000, description="rows among which the locks fall; fewer make more deadlocks")
    locked_rows: int = Field(4, ge=2, le=16, description="rows that a call locks")

    def change(self, now: Conditions, hours: float) -> None:
        how = {"hot_rows": self.size, "locked_rows": self.locked_rows, "lock_order": "any"}
        now.statements[self.statement] = now.statements[self.statement].model_copy(update=how)
