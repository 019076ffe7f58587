"""What a statement asks for, read from its SQL with sqlglot: tables, predicates, joins, order, limit."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from typing import Literal

import sqlglot
from sqlglot import exp

from hardy_gauge.probes.protocol import Refused

Kind = Literal["select", "insert", "update", "delete"]
Form = Literal["equality", "range", "prefix", "null", "other"]
Value = str | None

_RANGES = (exp.LT, exp.LTE, exp.GT, exp.GTE, exp.Between)
MOST_TABLES = 6


@dataclass(frozen=True)
class Predicate:
    """One condition on one column of one table; ``sql`` is its text. A value of None is a parameter.

    ``equals`` are the values of an equality or IN; ``low`` and ``high`` bound a range.
    """

    table: str
    column: str
    form: Form
    sql: str
    equals: tuple[Value, ...] = (None,)
    low: Value = None
    high: Value = None
    between: bool = False
    excludes: bool = False

    def and_also(self, other: Predicate) -> Predicate:
        """One interval from two ranges on the same column."""
        return replace(
            self, sql=f"{self.sql} AND {other.sql}", low=other.low if self.low is None else self.low,
            high=other.high if self.high is None else self.high, between=True,
        )  # fmt: skip


@dataclass(frozen=True)
class Join:
    left: tuple[str, str]
    right: tuple[str, str]


@dataclass
class Query:
    """Tables by name (aliases resolved); every list is in the order of the text."""

    kind: Kind
    tables: list[str]
    predicates: list[Predicate] = field(default_factory=list)
    joins: list[Join] = field(default_factory=list)
    needed: dict[str, set[str]] = field(default_factory=dict)
    order: list[tuple[str, str]] = field(default_factory=list)
    limit: int | None = None
    grouped: bool = False
    groups: list[tuple[str, str]] = field(default_factory=list)
    changed: set[str] = field(default_factory=set)


_LITERAL = re.compile(r"\$\d+|\?|'(?:[^']|'')*'|\b\d+(?:\.\d+)?\b|\btrue\b|\bfalse\b", re.IGNORECASE)


def canonical(sql: str) -> str:
    """The text with every literal and parameter alike, so that a statement is known again without its values."""
    return " ".join(_LITERAL.sub("?", sql).lower().split())


def read(sql: str, columns: dict[str, set[str]]) -> Query:
    """Understand ``sql`` against tables given as name → column names; Refused says which part cannot be planned."""
    try:
        tree = sqlglot.parse_one(sql, read="postgres")
    except sqlglot.errors.ParseError as error:
        raise Refused(f"the text cannot be parsed: {str(error).splitlines()[0]}", "text") from error
    kinds: dict[type[exp.Expr], Kind] = {
        exp.Select: "select", exp.Insert: "insert", exp.Update: "update", exp.Delete: "delete",
    }  # fmt: skip
    kind = kinds.get(type(tree))
    if kind is None:
        raise Refused(f"{type(tree).__name__.lower()} statements have no plan here", "text")
    if tree.find(exp.Subquery, exp.Union, exp.CTE):
        raise Refused("sub-queries, unions and WITH cannot be planned yet", "text")
    names: dict[str, str] = {}
    for table in tree.find_all(exp.Table):
        if table.name not in columns:
            raise Refused(f"no table '{table.name}'; there are: {', '.join(sorted(columns))}", "text")
        names[table.alias_or_name] = table.name
    if len(set(names.values())) < len(names):
        raise Refused("a table joined with itself cannot be planned yet", "text")
    if len(names) > MOST_TABLES:
        raise Refused(f"{len(names)} tables; at most {MOST_TABLES} can be joined", "text")
    query = Query(kind, list(dict.fromkeys(names.values())))
    reader = _Reader(names, columns, query)
    reader.fill(tree)
    return query


class _Reader:
    def __init__(self, names: dict[str, str], columns: dict[str, set[str]], query: Query) -> None:
        self.names, self.columns, self.query = names, columns, query

    def fill(self, tree: exp.Expr) -> None:
        query = self.query
        query.needed = {table: set() for table in query.tables}
        if query.kind == "insert":
            return
        if tree.find(exp.Star) and not tree.find(exp.Count):
            query.needed = {table: set(self.columns[table]) for table in query.tables}
        for column in tree.find_all(exp.Column):
            table, name = self.resolve(column)
            query.needed[table].add(name)
        conditions = [join.args.get("on") for join in tree.args.get("joins") or []]
        where = tree.args.get("where")
        conditions.append(where.this if where else None)
        for condition in conditions:
            if condition is not None:
                for part in condition.flatten() if isinstance(condition, exp.And) else [condition]:
                    self.condition(part.unnest())
        if order := tree.args.get("order"):
            for item in order.expressions:
                if isinstance(item.this, exp.Column):
                    query.order.append(self.resolve(item.this))
        if group := tree.args.get("group"):
            query.groups = [self.resolve(c) for c in group.expressions if isinstance(c, exp.Column)]
        query.grouped = bool(query.groups) or (query.kind == "select" and tree.find(exp.AggFunc) is not None)
        if tree.args.get("distinct"):
            query.grouped = True
            query.groups = [self.resolve(c) for c in tree.expressions if isinstance(c, exp.Column)]
        if limit := tree.args.get("limit"):
            query.limit = int(limit.expression.this) if isinstance(limit.expression, exp.Literal) else 20
        if query.kind == "update":
            query.changed = {self.resolve(e.this)[1] for e in tree.expressions if isinstance(e.this, exp.Column)}

    def resolve(self, column: exp.Column) -> tuple[str, str]:
        if column.table:
            table = self.names.get(column.table)
            if table is None:
                raise Refused(f"'{column.table}' names no table of this statement", "text")
            if column.name not in self.columns[table]:
                raise Refused(f"table {table} has no column '{column.name}'", "text")
            return table, column.name
        owners = [table for table in self.query.tables if column.name in self.columns[table]]
        if len(owners) != 1:
            raise Refused(f"column '{column.name}' belongs to {'no' if not owners else 'more than one'} table", "text")
        return owners[0], column.name

    def condition(self, part: exp.Expr) -> None:
        found = list(part.find_all(exp.Column))
        if isinstance(part, exp.EQ) and len(found) == 2 and found[0].table != found[1].table:
            self.query.joins.append(Join(self.resolve(found[0]), self.resolve(found[1])))
            return
        if not found:
            return
        table, column = self.resolve(found[0])
        self.query.predicates.append(_condition(table, column, part))


def _condition(table: str, column: str, part: exp.Expr) -> Predicate:
    """What an index and the statistics can make of one condition."""
    plain = Predicate(table, column, "other", part.sql(dialect="postgres"))
    if isinstance(part, exp.Not) and isinstance(part.this, exp.Is):
        return plain
    turned = isinstance(part.args.get("expression"), exp.Column)
    if not turned and not isinstance(part.this, exp.Column):
        return plain
    other = part.this if turned else part.args.get("expression")
    if isinstance(part, exp.EQ):
        return replace(plain, form="equality", equals=(_value(other),))
    if isinstance(part, exp.In) and part.expressions:
        return replace(plain, form="equality", equals=tuple(_value(e) for e in part.expressions))
    if isinstance(part, exp.Is):
        return replace(plain, form="null") if isinstance(other, exp.Null) else plain
    if isinstance(part, exp.Between):
        return replace(
            plain, form="range", low=_value(part.args["low"]), high=_value(part.args["high"]), between=True
        )  # fmt: skip
    if isinstance(part, _RANGES):
        upper = isinstance(part, exp.LT | exp.LTE) != turned
        return (
            replace(plain, form="range", high=_value(other))
            if upper
            else replace(plain, form="range", low=_value(other))
        )
    if isinstance(part, exp.Like) and isinstance(other, exp.Literal) and not other.this.startswith(("%", "_")):
        return replace(plain, form="prefix")
    return plain


def _value(node: exp.Expr | None) -> Value:
    """A literal's text; None for a parameter or an expression."""
    if isinstance(node, exp.Neg):
        inner = _value(node.this)
        return None if inner is None else f"-{inner}"
    if isinstance(node, exp.Boolean):
        return "true" if node.this else "false"
    return str(node.this) if isinstance(node, exp.Literal) else None
