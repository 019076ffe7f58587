"""Tables from a file of definitions: columns with their types, whether they can be null, and indexes."""

from __future__ import annotations

from collections.abc import Mapping

import sqlglot
from sqlglot import exp

from hardy_gauge.core.checks.statement import ColumnShape, TableShape
from hardy_gauge.core.sql.split import split


def tables_of(text: str, dialect: str) -> dict[str, TableShape]:
    """By name in lower case; what is no definition of a table or an index is passed over."""
    found: dict[str, TableShape] = {}
    for cut in split(text):
        try:
            tree = sqlglot.parse_one(cut.sql, read=dialect)
        except sqlglot.errors.SqlglotError:
            continue
        if not isinstance(tree, exp.Create):
            continue
        if tree.kind == "TABLE" and isinstance(tree.this, exp.Schema):
            found[tree.this.this.name.lower()] = _table(tree.this, dialect)
        elif tree.kind == "INDEX" and isinstance(tree.this, exp.Index):
            _indexed(found, tree.this)
    return found


def _table(schema: exp.Schema, dialect: str) -> TableShape:
    keys = [tuple(_names(one)) for one in schema.find_all(exp.PrimaryKey)]
    keyed = {name for key in keys for name in key}
    columns = {}
    for one in schema.find_all(exp.ColumnDef):
        kinds = [c.kind for c in one.args.get("constraints") or []]
        own = any(isinstance(k, exp.PrimaryKeyColumnConstraint) for k in kinds)
        unique = own or any(isinstance(k, exp.UniqueColumnConstraint) for k in kinds)
        required = own or any(
            isinstance(k, exp.NotNullColumnConstraint) and not k.args.get("allow_null") for k in kinds
        )
        kind = one.args.get("kind")
        name = one.name.lower()
        columns[name] = ColumnShape(
            kind.sql(dialect=dialect).lower() if kind is not None else "", not (required or name in keyed)
        )
        keys += [(name,)] if unique else []
    return TableShape(columns, tuple(keys))


def _indexed(found: Mapping[str, TableShape], index: exp.Index) -> None:
    table = index.args.get("table")
    shape = found.get(table.name.lower()) if table is not None else None
    parameters = index.args.get("params")
    if shape is not None and parameters is not None and table is not None:
        names = tuple(_names(parameters))
        assert isinstance(found, dict)
        found[table.name.lower()] = TableShape(shape.columns, (*shape.indexes, names))


def _names(holder: exp.Expression) -> list[str]:
    return [name.lower() for one in holder.find_all(exp.Identifier) if (name := one.name)]
