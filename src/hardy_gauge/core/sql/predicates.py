"""What an index could serve in a statement: equality, range and order columns of each table (sqlglot)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import sqlglot
from sqlglot import Expr, exp

_EQUAL = (exp.EQ, exp.In)
_RANGE = (exp.LT, exp.LTE, exp.GT, exp.GTE, exp.Between)
KINDS: tuple[tuple[tuple[type[Expr], ...], str], ...] = (
    ((exp.EQ, exp.NullSafeEQ), "equality"), ((exp.In,), "list"), (_RANGE, "range"), ((exp.Like, exp.ILike, exp.SimilarTo, exp.RegexpLike), "pattern"),
    ((exp.NEQ,), "inequality"), ((exp.Or,), "alternatives"), ((exp.Not,), "negation"), ((exp.Boolean, exp.Column), "truth"),
)  # fmt: skip


@dataclass
class TableUse:
    """Columns of one table by how the statement uses them, in the order of the text."""

    table: str
    equal: list[str] = field(default_factory=list)
    ranged: list[str] = field(default_factory=list)
    ordered: list[str] = field(default_factory=list)
    joined: list[str] = field(default_factory=list)
    unserved: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Condition:
    """One condition as written, the column it is on, and its form: what an index could start from ("equal", "range", "join"), or "other".

    ``kind`` is what sort of condition it is, in words; ``sources`` are the tables that it reads, as the text has them.
    """

    text: str
    table: str
    column: str
    form: str
    kind: str = ""
    sources: tuple[str, ...] = ()


@dataclass
class Uses:
    """All tables a statement uses, and its conditions one by one."""

    tables: dict[str, TableUse]
    conditions: list[Condition]


class Unreadable(ValueError):
    """The text cannot be parsed; the message says where."""


def read_uses(sql: str, schema: Mapping[str, list[str]], dialect: str = "postgres") -> Uses:
    """How a statement uses the columns of ``schema`` (table → columns); Unreadable when it cannot be parsed."""
    try:
        return _uses(sqlglot.parse_one(sql, read=dialect), schema, dialect)
    except sqlglot.errors.SqlglotError as error:
        raise Unreadable(str(error).splitlines()[0]) from error
    except (
        TypeError,
        AttributeError,
        ValueError,
        RecursionError,
    ) as error:  # what the parser makes of half a statement
        raise Unreadable(f"this is no statement that can be read: {error}") from error


def kind_of(condition: Expr) -> str:
    """What sort of condition it is."""
    if condition.find(exp.Query):
        return "sub-query"
    if isinstance(condition, exp.Is | exp.Not) and condition.find(exp.Null):
        return "null test"
    return next((words for kinds, words in KINDS if isinstance(condition, kinds)), "expression")


def _uses(tree: Expr, schema: Mapping[str, list[str]], dialect: str) -> Uses:
    tables = list(tree.find_all(exp.Table))
    names = {t.alias_or_name: t.name for t in tables}
    sources = {t.alias_or_name: _source(t).sql(dialect=dialect) for t in tables}
    uses = Uses({name: TableUse(name) for name in names.values() if name in schema}, [])
    conditions: list[Expr] = []
    for holder in [
        *tree.find_all(exp.Where),
        *(j.args["on"] for j in tree.find_all(exp.Join) if j.args.get("on")),
    ]:
        body = holder.this if isinstance(holder, exp.Where) else holder
        conditions += list(body.flatten()) if isinstance(body, exp.And) else [body]
    for condition in conditions:
        _add(condition.unnest(), names, sources, schema, uses, dialect)
    order = tree.args.get("order")
    for item in order.expressions if order else []:
        if isinstance(item.this, exp.Column) and (owner := _owner(item.this, names, schema)):
            uses.tables[owner].ordered.append(item.this.name)
    return uses


def _source(table: exp.Table) -> exp.Table:
    """A table with its alias and nothing that hangs on it."""
    return exp.Table(**{part: table.args.get(part) for part in ("this", "db", "catalog", "alias")}).copy()


def _owner(column: exp.Column, names: Mapping[str, str], schema: Mapping[str, list[str]]) -> str | None:
    if column.table:
        table = names.get(column.table)
        return table if table in schema else None
    owners = [t for t in dict.fromkeys(names.values()) if column.name in schema.get(t, [])]
    return owners[0] if len(owners) == 1 else None


def _is_variable(column: exp.Column, names: Mapping[str, str], schema: Mapping[str, list[str]]) -> bool:
    """Whether it is a variable of the routine that runs the statement, and so a value: no table of the statement is called so, or
    none of its tables, all of which are known, has such a column.
    """
    if column.table:
        return column.table not in names
    return all(one in schema and column.name not in schema[one] for one in names.values())


def _alias(column: exp.Column, owner: str | None, names: Mapping[str, str]) -> str | None:
    """By what name the text calls the table of a column."""
    return column.table or next((alias for alias, name in names.items() if name == owner), None)


def _add(
    condition: Expr, names: Mapping[str, str], sources: Mapping[str, str], schema: Mapping[str, list[str]], uses: Uses, dialect: str
) -> None:  # fmt: skip
    columns = [one for one in condition.find_all(exp.Column) if not _is_variable(one, names, schema)]
    owners = [(c, _owner(c, names, schema)) for c in columns]
    text, kind = condition.sql(dialect=dialect, comments=False), kind_of(condition)
    read = tuple(dict.fromkeys(sources[alias] for c, owner in owners if (alias := _alias(c, owner, names))))
    if isinstance(condition, exp.EQ) and len(columns) == 2:
        for column, owner in owners:
            if owner:
                uses.tables[owner].joined.append(column.name)
                uses.conditions.append(Condition(text, owner, column.name, "join", "join", read))
        return
    for column, owner in owners[:1]:
        if owner is None:
            continue
        use = uses.tables[owner]
        bare = condition.this is column
        if bare and isinstance(condition, _EQUAL):
            use.equal.append(column.name)
            form = "equal"
        elif bare and isinstance(condition, _RANGE):
            use.ranged.append(column.name)
            form = "range"
        else:
            reason = (
                "the column is inside an expression" if not bare else "this form of condition has no start in an index"
            )
            use.unserved[column.name] = reason
            form = "other"
        uses.conditions.append(Condition(text, owner, column.name, form, kind, read))
