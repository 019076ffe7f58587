"""Which index would serve a statement's conditions on one table, what it would weigh, and its script."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.core.advice.finding import TableFacts
from hardy_gauge.core.sql.predicates import TableUse

ENTRY_OVERHEAD_BYTES = 16
FILL = 0.9
ENTRY_LOG_BYTES = 72
MOST_COLUMNS = 4


@dataclass(frozen=True)
class IndexAdvice:
    """A B-tree index to build; size in bytes, ``writes_per_s`` entries to keep up (None when not known)."""

    table: str
    columns: list[str]
    name: str
    script: str
    way_back: str
    bytes: float
    writes_per_s: float | None


def advise_index(use: TableUse, table: TableFacts, inner: bool = False) -> IndexAdvice | None:
    """Equality columns first, the most selective leading; then the order or one range column.

    ``inner``: the table is looked up by a join, so join columns count as equality. None when nothing
    would narrow the rows, or when an index that starts with these columns exists already.
    """
    equal = list(dict.fromkeys([*use.equal, *(use.joined if inner else [])]))
    equal = [c for c in equal if c in table.columns]
    equal.sort(key=lambda c: -table.columns[c].distinct)
    columns = [c for c in equal if table.columns[c].distinct > 1][: MOST_COLUMNS - 1]
    ordered = [c for c in use.ordered if c in table.columns and c not in columns]
    ranged = [c for c in use.ranged if c in table.columns and c not in columns]
    if columns and ordered:
        columns += ordered[: MOST_COLUMNS - len(columns)]
    elif ranged:
        columns.append(ranged[0])
    if not columns or not (equal or ranged):
        return None
    narrowing = len([c for c in columns if c in equal]) or 1
    if any(set(i.columns[:narrowing]) == set(columns[:narrowing]) for i in table.indexes):
        return None
    return build(table, columns)


def build(table: TableFacts, columns: list[str]) -> IndexAdvice:
    """The advice for an index on these columns; KeyError names a column the table does not have."""
    name = f"{table.name}_{'_'.join(columns)}"[:60]
    width = ENTRY_OVERHEAD_BYTES + sum(table.columns[c].width_bytes for c in columns)
    writes: float | None = None
    if table.inserts_per_s is not None:
        updated = max((table.column_updates_per_s.get(c, 0.0) for c in columns), default=0.0)
        writes = table.inserts_per_s + (table.deletes_per_s or 0.0) + 2 * updated
    return IndexAdvice(
        table=table.name, columns=columns, name=name,
        script=f"CREATE INDEX {name} ON {table.name} ({', '.join(columns)});",
        way_back=f"DROP INDEX {name};", bytes=table.rows * width / FILL, writes_per_s=writes,
    )  # fmt: skip
