"""What is known of a server's tables, columns and indexes."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class ColumnFacts:
    """A column; ``distinct`` values are 0 where they are not known."""

    name: str
    width_bytes: float
    distinct: float


@dataclass(frozen=True)
class IndexFacts:
    """An index over all rows of a table, with its columns in order."""

    name: str
    columns: tuple[str, ...]
    unique: bool


@dataclass(frozen=True)
class Writes:
    """Rows written a second over the focus; ``updates_by_column`` where the server reports it."""

    inserts_per_s: float
    updates_per_s: float
    deletes_per_s: float
    updates_by_column: dict[str, float] = field(default_factory=dict)

    def entries_per_s(self, columns: list[str]) -> float:
        """Index entries to write for an index over the columns: an update writes a new entry and leaves an old one.

        Where updates are not reported by column, every update counts: the most that it can be.
        """
        updated = max((self.updates_by_column.get(c, 0.0) for c in columns), default=0.0)
        updates = updated if self.updates_by_column else self.updates_per_s
        return self.inserts_per_s + self.deletes_per_s + 2 * updates


@dataclass(frozen=True)
class TableFacts:
    """A table with its statistics; ``writes`` is None where they are not known over the focus."""

    name: str
    rows: float
    bytes: float
    columns: dict[str, ColumnFacts]
    indexes: list[IndexFacts]
    writes: Writes | None = None
