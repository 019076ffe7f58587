"""Changes of a schema that hold others up, or cannot be taken back."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from hardy_gauge.core.checks.check import TextCheck
from hardy_gauge.core.checks.statement import Parsed

POSTGRES = "postgres"
MONEY = frozenset(("price", "amount", "fee", "fine", "balance", "cost", "total", "money"))


def _index(statement: Parsed) -> Iterator[str]:
    tree = statement.tree
    if (
        not isinstance(tree, exp.Create)
        or tree.kind != "INDEX"
        or statement.dialect != POSTGRES
        or tree.args.get("concurrently")
    ):
        return
    table = tree.this.args.get("table") if isinstance(tree.this, exp.Index) else None
    if table is None or table.name.lower() not in statement.fresh:
        yield f"writes to {table.name if table is not None else 'its table'} wait until it is built"


def _actions(statement: Parsed) -> list[exp.Expression]:
    return list(statement.tree.args.get("actions") or []) if isinstance(statement.tree, exp.Alter) else []


def _is_fresh(statement: Parsed) -> bool:
    table = statement.tree.this
    return isinstance(table, exp.Table) and table.name.lower() in statement.fresh


def _type(statement: Parsed) -> Iterator[str]:
    for one in () if _is_fresh(statement) else _actions(statement):
        if isinstance(one, exp.AlterColumn) and one.args.get("dtype") is not None:
            yield f"{one.name} of {statement.tree.this.name}"


def _not_null(statement: Parsed) -> Iterator[str]:
    for one in () if _is_fresh(statement) else _actions(statement):
        if isinstance(one, exp.ColumnDef):
            kinds = [c.kind for c in one.args.get("constraints") or []]
            required = any(isinstance(k, exp.NotNullColumnConstraint) and not k.args.get("allow_null") for k in kinds)
            if required and not any(
                isinstance(k, (exp.DefaultColumnConstraint, exp.GeneratedAsIdentityColumnConstraint)) for k in kinds
            ):
                yield f"{one.name} of {statement.tree.this.name}"


def _drop(statement: Parsed) -> Iterator[str]:
    tree = statement.tree
    if isinstance(tree, exp.Drop) and tree.kind in ("TABLE", "SCHEMA", "DATABASE"):
        yield f"{tree.kind.lower()} {_dropped(statement, tree)}"
    for one in _actions(statement):
        if isinstance(one, exp.Drop) and one.kind == "COLUMN":
            yield f"column {_dropped(statement, one)} of {tree.this.name}"


def _dropped(statement: Parsed, drop: exp.Drop) -> str:
    named = [drop.this, *(drop.args.get("tables") or []), *drop.expressions]
    return ", ".join(statement.sql(one) for one in named if one is not None)


def _char(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.ColumnDef):
        kind = one.args.get("kind")
        if (
            isinstance(kind, exp.DataType)
            and kind.this == exp.DataType.Type.CHAR
            and kind.expressions
            and kind.expressions[0].name != "1"
        ):
            yield f"{one.name} {kind.sql(dialect=statement.dialect)}"


def _money(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.ColumnDef):
        kind = one.args.get("kind")
        if not isinstance(kind, exp.DataType) or MONEY.isdisjoint(one.name.lower().split("_")):
            continue
        if kind.this in (exp.DataType.Type.FLOAT, exp.DataType.Type.DOUBLE):
            yield f"{one.name} {statement.sql(kind)}"


def _keyless(statement: Parsed) -> Iterator[str]:
    tree = statement.tree
    if (
        isinstance(tree, exp.Create)
        and tree.kind == "TABLE"
        and isinstance(tree.this, exp.Schema)
        and "TEMP" not in tree.sql().upper().split("(")[0]
    ):
        keyed = any(True for _ in tree.find_all(exp.PrimaryKey, exp.PrimaryKeyColumnConstraint))
        if not keyed and tree.find(exp.ColumnDef) and not tree.find(exp.PartitionedOfProperty):
            yield statement.sql(tree.this.this)


def _zone(statement: Parsed) -> Iterator[str]:
    for one in statement.all(exp.ColumnDef):
        kind = one.args.get("kind")
        if (
            statement.dialect == POSTGRES
            and isinstance(kind, exp.DataType)
            and kind.this == exp.DataType.Type.TIMESTAMP
        ):
            yield f"{one.name} {kind.sql(dialect=statement.dialect).lower()}"


CHECKS = (
    TextCheck(
        "index_built_while_writes_wait", "schema changes", "An index is built while writes wait", "plan", "Whoever writes to the table waits until the index stands.",
        "Say CONCURRENTLY, outside of a transaction.", "It takes longer and leaves an invalid index when it fails: look afterwards.", 0.9, _index,
    ),
    TextCheck(
        "type_changed", "schema changes", "The type of a column is changed", "plan", "Most changes of a type write the whole table and its indexes anew, while nobody can read it.",
        "Add a column, fill it in steps, change over, drop the old one.", "Not at once on a large table.", 0.7, _type,
    ),
    TextCheck(
        "required_column_added", "schema changes", "A required column without a default is added", "act", "It fails as soon as there is one row.",
        "Give a default, or add it empty, fill it, and require it then.", "Safe with a constant default.", 0.95, _not_null,
    ),
    TextCheck(
        "dropped_for_good", "schema changes", "Something is dropped for good", "plan", "There is no way back but a backup, and older versions of the application may still read it.",
        "Rename it first, and drop it when nobody has asked for it.", "Not before every reader is gone.", 0.6, _drop,
    ),
    TextCheck(
        "padded_text", "schema changes", "A text that is filled up with blanks", "note", "A char(n) keeps blanks and compares as if they were none.", "Use text or varchar.", "Safe for new columns.", 0.8, _char,
    ),
    TextCheck(
        "money_as_float", "schema changes", "Money as a floating number", "plan", "Tenths are not exact in it, so sums are off by cents.", "Use numeric, or whole cents.", "Safe for new columns.", 0.9, _money,
    ),
    TextCheck(
        "table_without_key", "schema changes", "A table without a primary key", "plan", "Rows cannot be told apart, replication by rows and many tools need a key.", "Give it one.",
        "Building it on a large table holds writers up.", 0.8, _keyless,
    ),
    TextCheck(
        "timestamp_without_zone", "schema changes", "A moment without a time zone", "note", "What it means depends on the session that wrote it, and an hour comes twice each autumn.",
        "Use timestamptz.", "Safe for new columns.", 0.6, _zone,
    ),
)  # fmt: skip
