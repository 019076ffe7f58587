"""Tables with their columns and indexes from the three lists that a pack gives."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from hardy_gauge.probes.protocol import Column, IndexFacts, Table
from hardy_gauge.probes.sqlpack.values import plain


def tables_of(
    tables: list[dict[str, Any]], columns: list[dict[str, Any]], indexes: list[dict[str, Any]]
) -> list[Table]:
    """``columns`` and ``indexes`` name their table by its ``id`` in a column ``table``; other columns are the protocol's."""
    by_table: dict[str, list[Column]] = defaultdict(list)
    for row in columns:
        by_table[row["table"]].append(Column(**{k: v for k, v in plain(row).items() if k != "table"}))
    names = {row["id"]: row["name"] for row in tables}
    over: dict[str, list[IndexFacts]] = defaultdict(list)
    for row in indexes:
        if row["table"] in names and row["columns"]:
            over[row["table"]].append(IndexFacts(**plain(row) | {"table": names[row["table"]]}))
    return [
        Table(
            **{k: v for k, v in plain(row).items() if k != "id"}, columns=by_table[row["id"]], indexes=over[row["id"]]
        )
        for row in tables
    ]
