"""What happens to one member of a cluster, and what its peers then do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from pydantic import Field

from practice_fleet.conditions import Conditions
from practice_fleet.physics.locks import BUILDING
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.data import TableSpec
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.troubles.base import MINUTE_US, BaseTrouble, Said, known

PARTITIONS = 1024
NOTICED_S = 20.0
BACKGROUND_PAGES = 300.0


class UnevenLoad(BaseTrouble):
    """One member gets far more calls than its peers."""

    cause: Literal["uneven_load"]
    size: float = Field(2.5, gt=1, description="calls ÷ calls before")

    def change(self, now: Conditions, hours: float) -> None:
        for statement in now.statements:
            now.speed_up(statement, self.size)


class HotPartition(BaseTrouble):
    """One partition is asked for far more than the others: the member that holds it has its calls besides its own."""

    acts_on = frozenset({"member"})
    cause: Literal["hot_partition"]
    statement: str = Field(description="key of the statement that asks for it")
    size: float = Field(5, gt=1, description="its calls on this member ÷ calls before")

    def check(self, database: DatabaseSpec) -> None:
        known(self.statement, dict(database.statements), "statement")

    def change(self, now: Conditions, hours: float) -> None:
        now.speed_up(self.statement, self.size)
        now.hot_partition = (self.statement, 1 - 1 / self.size)


class MemberDown(BaseTrouble):
    """A member does not answer; its peers take its load at once and copy its partitions among them."""

    cause: Literal["member_down"]
    size: float = Field(25, gt=0, description="minutes until every partition has its copies again")

    def restart_moments(self, anchor_us: int) -> list[int]:
        """When it is back: with an empty cache."""
        back = self.end_us(anchor_us)
        return [] if back is None else [back]

    def change(self, now: Conditions, hours: float) -> None:
        now.down = True


class MembersDisagree(BaseTrouble):
    """For a moment a member sees fewer peers than there are."""

    acts_on = frozenset({"member"})
    cause: Literal["members_disagree"]
    size: int = Field(1, ge=1, description="members that it does not see")

    def levels(self, hours: float) -> dict[str, float]:
        return {"members_seen": -float(self.size)}

    def says(self, server: str) -> list[Said]:
        return [Said(0, "warning", f"members seen: {self.size} fewer than a moment ago")]


class FailoverDrill(MemberDown):
    """Benign: a member is taken out on purpose, announced before."""

    cause: Literal["failover_drill"]  # type: ignore[assignment]

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", "shutting down: asked for by an administrator", "software")]


class IndexBuild(BaseTrouble):
    """Benign: an index is built; it reads the table, writes the index, and keeps the table for a moment each minute."""

    cause: Literal["index_build"]
    index: str = Field(description="name of the index that is rebuilt")
    pages: float = Field(900, gt=0, description="pages read and written per second")

    def change(self, now: Conditions, hours: float) -> None:
        now.background_pages_per_s += self.pages
        now.background_cores += 1
        for name, table in now.tables.items():
            if any(index.name == self.index for index in table.indexes):
                now.hold_table(name, BUILDING)

    def check(self, database: DatabaseSpec) -> None:
        known(self.index, {index.name for table in database.tables.values() for index in table.indexes}, "index")

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", f"rebuilding index {self.index}", "schema", self.index)]


@dataclass(frozen=True)
class PeerDown:
    """What a member does while another is down: its share of the load, and partitions copied among those left.

    Counts of partitions on the move fall evenly to zero; with one copy of each partition besides the first,
    every partition that the lost member held is copied once more.
    """

    trouble: MemberDown
    member: str
    members: int
    copies: int

    def start_us(self, anchor_us: int) -> int:
        return self.trouble.start_us(anchor_us)

    def end_us(self, anchor_us: int) -> int | None:
        return self.trouble.end_us(anchor_us)

    def is_on(self, at_us: int, anchor_us: int) -> bool:
        return self.trouble.is_on(at_us, anchor_us)

    def stage(self, at_us: int, anchor_us: int) -> int:
        return int(at_us - self.start_us(anchor_us) < self.trouble.size * MINUTE_US)

    def hours(self, at_us: int, anchor_us: int) -> float:
        return 0.0 if self.stage(at_us, anchor_us) else self.trouble.size / 60

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        start, end = self.start_us(anchor_us), self.end_us(anchor_us)
        return [start, int(start + self.trouble.size * MINUTE_US), *([end] if end is not None else [])]

    def change(self, now: Conditions, hours: float) -> None:
        for statement in now.statements:
            now.speed_up(statement, self.members / (self.members - 1))
        if hours * 60 < self.trouble.size:
            now.background_pages_per_s += BACKGROUND_PAGES

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        return {}

    def levels(self, hours: float) -> dict[str, float]:
        """Partitions still to come to this member, copies still missing, and members it sees."""
        left = max(0.0, 1 - hours * 60 / self.trouble.size)
        lost = PARTITIONS * (1 + self.copies) / self.members
        coming = round(lost * left / (self.members - 1))
        seen = -1.0 if hours * 3600 >= NOTICED_S else 0.0
        return {"partitions_coming": coming, "partitions_going": coming, "copies_missing": coming, "members_seen": seen}

    def bytes_added(self, tables: Mapping[str, TableSpec], hours: float) -> float:
        """Copies of the partitions that the lost member held; a member's tables are its own and those it keeps copies of."""
        moved = min(1.0, hours * 60 / self.trouble.size) / (self.members - 1)
        return (
            sum(table.pages for table in tables.values()) * PAGE_BYTES * (1 + self.copies) * moved
            if self.copies
            else 0.0
        )

    def says(self, server: str) -> list[Said]:
        done = Said(self.trouble.size * 60, "info", "every partition has its copies again")
        return [Said(NOTICED_S, "warning", f"member {self.member} does not answer; its partitions are copied"), done]
