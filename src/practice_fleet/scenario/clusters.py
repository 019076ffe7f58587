"""Databases, clusters and servers."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from practice_fleet.scenario.data import TableSpec
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.scenario.setting_values import checked
from practice_fleet.scenario.transactions import TransactionSpec
from practice_fleet.scenario.units import Misplaced, Part, Settings
from practice_fleet.scenario.work import StatementSpec

Make = Literal["practice", "practice-2"]
Role = Literal["primary", "replica", "member", "single", "coordinator", "worker"]


class DatabaseSpec(Part):
    """What a cluster serves: tables and the statements that are run on them."""

    tables: dict[str, TableSpec] = Field(min_length=1)
    statements: dict[str, StatementSpec] = Field(min_length=1)
    transactions: dict[str, TransactionSpec] = Field(default_factory=dict)

    def all_rates(self) -> dict[str, StatementSpec]:
        """The statements with all of their calls: their own, and those of the transactions."""
        rates = {key: statement.rate for key, statement in self.statements.items()}
        for transaction in self.transactions.values():
            for step in transaction.steps:
                rates[step.statement] += transaction.rate * step.times
        return {key: one.model_copy(update={"rate": rates[key]}) for key, one in self.statements.items()}

    @model_validator(mode="after")
    def _transactions_fit(self) -> DatabaseSpec:
        called = set()
        for name, transaction in self.transactions.items():
            for number, step in enumerate(transaction.steps):
                here = ("transactions", name, "steps", number, "statement")
                if step.statement not in self.statements:
                    raise Misplaced(f"no statement '{step.statement}'; there are {', '.join(self.statements)}", *here)
                statement = self.statements[step.statement]
                if statement.rhythm != transaction.rhythm:
                    words = f"{step.statement} has rhythm {statement.rhythm}, the transaction {transaction.rhythm}; they must agree"
                    raise Misplaced(words, *here)
                called.add(step.statement)
        for key, statement in self.statements.items():
            if not statement.rate and key not in called:
                raise Misplaced("a rate above 0 is needed, or a transaction that calls it", "statements", key, "rate")
        return self


class ServerSpec(Part):
    """One server of a cluster."""

    name: str = Field(pattern=r"^[a-z][a-z0-9-]*$", description="unique in the scenario")
    role: Role = Field(description="what it is in its cluster")
    load: float = Field(1.0, ge=0, description="its load ÷ what its part would be; 0 is idle")
    copy_of: str | None = Field(None, description="a lab server: the server whose data and statements it has")
    scale: float = Field(1.0, gt=0, le=1, description="rows of a copy ÷ rows of the original")
    settings: Settings = Field(default_factory=dict, description="settings that differ from the cluster's")

    @model_validator(mode="after")
    def _settings_can_be(self) -> ServerSpec:
        self.settings = checked(self.settings)
        return self


class PoolerSpec(Part):
    """A pooler between the applications and each server of a cluster."""

    sessions: int = Field(ge=1, description="sessions that it opens at most")
    patience_s: float = Field(30, gt=0, description="seconds after which a call that waits for a session gives up")
    retries: float = Field(0.5, ge=0, lt=1, description="share of the calls that gave up which are tried again")


class ClusterSpec(Part):
    """Servers that serve the same data."""

    name: str = Field(pattern=r"^[a-z][a-z0-9-]*$")
    database: str = Field(description="name of its database")
    host: HostSpec
    servers: list[ServerSpec] = Field(min_length=1)
    make: Make = Field(
        "practice", description="make of its engine: each reports in words of its own, and not the same things"
    )
    settings: Settings = Field(default_factory=dict, description="settings that differ from their defaults")
    sessions: float = Field(60, ge=1, description="sessions that the applications keep open on each server")
    pooler: PoolerSpec | None = Field(None, description="left out: the applications connect themselves")
    copies: int = Field(0, ge=0, le=3, description="partitioned clusters: copies of each partition besides the first")

    @model_validator(mode="after")
    def _settings_can_be(self) -> ClusterSpec:
        self.settings = checked(self.settings)
        return self

    @model_validator(mode="after")
    def _roles_fit(self) -> ClusterSpec:
        roles = [server.role for server in self.servers]
        if roles.count("primary") > 1:
            raise ValueError(f"cluster {self.name} has {roles.count('primary')} primaries; it may have one")
        if "replica" in roles and "primary" not in roles:
            raise ValueError(f"cluster {self.name} has replicas but no primary")
        if ("coordinator" in roles) != ("worker" in roles) or roles.count("coordinator") > 1:
            raise ValueError(f"cluster {self.name}: a reporting cluster has one coordinator and at least one worker")
        if "worker" in roles and set(roles) != {"coordinator", "worker"}:
            raise ValueError(f"cluster {self.name}: beside a coordinator and workers there can be no other roles")
        if self.copies >= max(roles.count("member"), 1):
            raise ValueError(f"cluster {self.name} keeps {self.copies} copies but has {roles.count('member')} members")
        return self
