"""Which index would serve a statement's conditions on one table, what it would weigh, and its script."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.remedies.remedy import IndexChange, Remedy
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
    undo: str
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
    writes = None if table.writes is None else table.writes.entries_per_s(columns)
    return IndexAdvice(
        table=table.name, columns=columns, name=name,
        script=f"CREATE INDEX {name} ON {table.name} ({', '.join(columns)});",
        undo=f"DROP INDEX {name};", bytes=table.rows * width / FILL, writes_per_s=writes,
    )  # fmt: skip


def remedy_of(index: IndexAdvice, table: TableFacts) -> Remedy:
    """The remedy that builds the index; what it brings is known once the server was asked."""
    side = [Fact("size", index.bytes, "B", "rows × entry width ÷ fill of 90%")]
    cautions = ["Building it reads the whole table once and may hold up writes to it; do it outside the rush."]
    if index.writes_per_s is None:
        cautions.append("Write rates of the table are not known, so neither is the cost of keeping the index.")
    else:
        source = "inserts, deletes and updates of its columns over the focus"
        if table.writes is not None and not table.writes.updates_by_column and table.writes.updates_per_s > 0:
            source = "inserts, deletes and all updates over the focus; the server does not report updates by column"
        side.append(Fact("entries to write", index.writes_per_s, "/s", source))
        side.append(Fact("log to write", index.writes_per_s * ENTRY_LOG_BYTES, "B/s", "entries × 72 B"))
    return Remedy(
        "index change", f"Build {index.name}", index.script, index.undo, "at once", [], side, cautions,
        IndexChange(index.table, index.columns),
    )  # fmt: skip
