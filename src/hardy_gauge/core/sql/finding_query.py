"""The query that finds the rows which an UPDATE, DELETE or INSERT … SELECT is about."""

from __future__ import annotations

import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError


def finding_query(text: str, dialect: str) -> str | None:
    """A SELECT of the rows that a write changes, or of those that it inserts; None for any other text, and for an INSERT
    of values, which looks for nothing.
    """
    try:
        tree = sqlglot.parse_one(text, read=dialect)
    except (SqlglotError, TypeError, ValueError, RecursionError):
        return None
    if isinstance(tree, exp.Insert):
        source = tree.expression
        return (
            source.sql(dialect=dialect)
            if isinstance(source, exp.Query) and not isinstance(source, exp.Values)
            else None
        )
    if not isinstance(tree, exp.Update | exp.Delete) or not isinstance(tree.this, exp.Table):
        return None
    target = tree.this
    found = exp.select(exp.column("ctid", table=target.alias_or_name)).from_(target.copy())
    source = tree.args.get("from_") or tree.args.get("from")
    beside = [source.this] if source is not None else list(tree.args.get("using") or [])
    for table in beside:
        found = found.join(table.copy(), join_type="cross")
    where, with_ = tree.args.get("where"), tree.args.get("with_") or tree.args.get("with")
    if where is not None:
        found = found.where(where.this.copy())
    if with_ is not None:
        found.set("with_", with_.copy())
    return found.sql(dialect=dialect)
