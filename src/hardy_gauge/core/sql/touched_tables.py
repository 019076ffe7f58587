"""The tables that a statement reads or writes."""

from __future__ import annotations

from functools import lru_cache

import sqlglot
from sqlglot import exp


@lru_cache(4096)
def touched_tables(text: str, dialect: str = "postgres") -> frozenset[str]:
    """Their names as the text has them, with the schema where it names one; empty where the text cannot be read."""
    try:
        tree = sqlglot.parse_one(text, read=dialect)
    except (sqlglot.errors.SqlglotError, TypeError, AttributeError, ValueError, RecursionError):
        return frozenset()
    inside = {one.alias for one in tree.find_all(exp.CTE)}
    found = {f"{one.db}.{one.name}" if one.db else one.name for one in tree.find_all(exp.Table) if one.name}
    return frozenset(found - inside)
