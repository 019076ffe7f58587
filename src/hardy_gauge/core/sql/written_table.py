"""The table that a statement writes or locks: where those who wait for its rows wait."""

from __future__ import annotations

from functools import lru_cache

import sqlglot
from sqlglot import exp

WRITES = (exp.Insert, exp.Update, exp.Delete, exp.Merge, exp.Alter, exp.Create, exp.Drop, exp.TruncateTable)


@lru_cache(4096)
def written_table(text: str, dialect: str = "postgres") -> str | None:
    """Its name without a schema; of a query that locks its rows the first table. None of a text that writes none or cannot be read."""
    try:
        tree = sqlglot.parse_one(text, read=dialect)
        writes = isinstance(tree, WRITES) or bool(tree.args.get("locks"))
        found = tree.find(exp.Table) if writes else None
        return found.name or None if found is not None else None
    except (sqlglot.errors.SqlglotError, TypeError, AttributeError, ValueError, RecursionError):
        return None
