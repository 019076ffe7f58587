"""Sessions that wait for rows others keep."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from practice_fleet.conditions import Conditions
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.troubles.base import BaseTrouble, Said, known


class _Locks(BaseTrouble):
    statement: str = Field(description="key of a statement that changes rows")

    def check(self, database: DatabaseSpec) -> None:
        known(self.statement, dict(database.statements), "statement")
        if database.statements[self.statement].sql.split()[0].upper() == "SELECT":
            raise ValueError(f"statement {self.statement} changes no rows, so it waits for none")


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

    def change(self, now: Conditions, hours: float) -> None:
        now.held_s[self.statement] = now.held_s.get(self.statement, 0.0) + self.size

    def levels(self, hours: float) -> dict[str, float]:
        return {"oldest_transaction_s": hours * 3600}

    def says(self, server: str) -> list[Said]:
        return [Said(60, "warning", f"a call of {self.statement} still waits for a row after 1 s")]


class LockChain(IdleTransaction):
    """Sessions wait for sessions that wait themselves."""

    cause: Literal["lock_chain"]  # type: ignore[assignment]


class Deadlocks(_Locks):
    """Two applications change rows in opposite order: some calls wait, and some are given up as victims."""

    cause: Literal["deadlocks"]
    size: float = Field(0.004, gt=0, le=1, description="share of the calls that end as victims")

    def change(self, now: Conditions, hours: float) -> None:
        now.failing[self.statement] = self.size
        now.held_s[self.statement] = now.held_s.get(self.statement, 0.0) + self.size

    def says(self, server: str) -> list[Said]:
        return [
            Said(20 + 600 * n, "error", f"deadlock found; {self.statement} was given up as victim") for n in range(6)
        ]
