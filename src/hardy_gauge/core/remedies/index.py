"""Which index would serve a statement's conditions on one table, what it would weigh, and its script.

An entry is a header, the columns rounded up to eight bytes, and a pointer to it in its page; a fresh index fills its pages to 90%
(PostgreSQL 15, "Database Page Layout" and "CREATE INDEX"). What an insert writes to the log was measured on that engine: a record's
head, the entry, and its part of the pages that random inserts split (tests/truth/test_index_advice.py).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.remedies.remedy import IndexChange, Remedy
from hardy_gauge.core.sql.predicates import TableUse

HEADER_BYTES, POINTER_BYTES, ALIGNED_BYTES = 8, 4, 8
FILL = 0.9
RECORD_LOG_BYTES, SPLITS = 48, 0.6
MOST_COLUMNS = 4


@dataclass(frozen=True)
class IndexAdvice:
    """A B-tree index to build; size in bytes, ``writes_per_s`` entries to keep up (None when not known), each of which adds
    ``log_bytes_each`` to the log.
    """

    table: str
    columns: list[str]
    name: str
    script: str
    undo: str
    bytes: float
    writes_per_s: float | None
    log_bytes_each: float


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
    width = sum(table.columns[c].width_bytes for c in columns)
    entry = HEADER_BYTES + math.ceil(width / ALIGNED_BYTES) * ALIGNED_BYTES
    writes = None if table.writes is None else table.writes.entries_per_s(columns)
    return IndexAdvice(
        table=table.name, columns=columns, name=name,
        script=f"CREATE INDEX {name} ON {table.name} ({', '.join(columns)});",
        undo=f"DROP INDEX {name};", bytes=table.rows * (entry + POINTER_BYTES) / FILL, writes_per_s=writes,
        log_bytes_each=RECORD_LOG_BYTES + (1 + SPLITS) * entry,
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
        each = index.log_bytes_each
        side.append(Fact("log to write", index.writes_per_s * each, "B/s", f"entries × {each:.0f} B"))
    return Remedy(
        "index change", f"Build {index.name}", index.script, index.undo, "at once", [], side, cautions,
        IndexChange(index.table, index.columns),
    )  # fmt: skip
