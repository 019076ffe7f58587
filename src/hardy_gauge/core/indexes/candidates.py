"""Indexes that could serve statements: from conditions, joins, order, grouping, covered columns, and fixed conditions (sqlglot).

Shapes after common practice: columns of equality before one range, then the order; a column of a join leading, since it is looked up
once for each row of the other side; every other column of the table that the statement reads, included, so that the table is not read.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import sqlglot
from sqlglot import Expr, exp

from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.sql.identifiers import quoted, quoted_path

MOST_KEYS, MOST_COVERED, MOST_OF_STATEMENT = 4, 6, 12
_EQUAL = (exp.EQ, exp.In)
_RANGE = (exp.LT, exp.LTE, exp.GT, exp.GTE, exp.Between)


@dataclass(frozen=True)
class Candidate:
    """An index that could be built; ``keys`` are columns or expressions, ``where`` its condition, where it is over a part of the rows."""

    table: str
    keys: tuple[str, ...]
    include: tuple[str, ...] = ()
    where: str = ""

    @property
    def words(self) -> str:
        """As the planner twin takes it, and as it follows CREATE INDEX … ON."""
        keys = ", ".join(key if key.startswith("(") else quoted(key) for key in self.keys)
        included = f" INCLUDE ({', '.join(map(quoted, self.include))})" if self.include else ""
        return f"{quoted_path(self.table)}({keys}){included}{f' WHERE {self.where}' if self.where else ''}"

    def name(self, taken: set[str]) -> str:
        """A name that is not taken, of at most 60 characters."""
        plain = "_".join("".join(c if c.isalnum() else "_" for c in key).strip("_") for key in self.keys)
        stem = f"{self.table.split('.')[-1]}_{plain}"[:56]
        return next(name for n in range(1, 1000) if (name := stem if n == 1 else f"{stem}_{n}") not in taken)


@dataclass
class _Use:
    """How one statement uses one table."""

    equal: list[str] = field(default_factory=list)
    ranged: list[str] = field(default_factory=list)
    joined: list[str] = field(default_factory=list)
    ordered: list[str] = field(default_factory=list)
    grouped: list[str] = field(default_factory=list)
    computed: list[str] = field(default_factory=list)
    fixed: list[str] = field(default_factory=list)
    read: set[str] = field(default_factory=set)
    all_columns: bool = False


def candidates_of(text: str, tables: Mapping[str, TableFacts], dialect: str) -> list[Candidate]:
    """Those of one statement; none where it cannot be read, or an index that begins alike is there."""
    try:
        tree = sqlglot.parse_one(text, read=dialect)
    except (sqlglot.errors.SqlglotError, RecursionError, TypeError, AttributeError, ValueError):
        return []
    found: dict[Candidate, None] = {}
    for name, use in _uses(tree, tables, dialect).items():
        for one in _shapes(name, use, tables[name]):
            if one.keys and not _served(one, tables[name]):
                found.setdefault(one)
    return list(found)[:MOST_OF_STATEMENT]


def _served(one: Candidate, table: TableFacts) -> bool:
    """Whether an index over all rows begins with the same columns, and so does as much."""
    if one.include or one.where:
        return False
    return any(index.columns[: len(one.keys)] == one.keys for index in table.indexes)


def _shapes(name: str, use: _Use, table: TableFacts) -> Iterator[Candidate]:
    def distinct(column: str) -> float:
        return table.columns[column].distinct if column in table.columns else table.rows

    equal = sorted(dict.fromkeys(use.equal), key=lambda c: -distinct(c))[:MOST_KEYS]
    keys = list(dict.fromkeys(key[:MOST_KEYS] for key in _keys(use, equal)))
    for key in keys:
        yield Candidate(name, key)
    for condition in dict.fromkeys(use.fixed):
        for key in keys[:3]:
            if not all(c in condition for c in key):
                yield Candidate(name, key, where=condition)
    if not use.all_columns and keys:
        for key in dict.fromkeys([max(keys, key=len), keys[0]]):
            rest = tuple(sorted(c for c in use.read if c not in key and c in table.columns))
            if rest and len(rest) + len(key) <= MOST_COVERED:
                yield Candidate(name, key, rest)


def _keys(use: _Use, equal: Sequence[str]) -> Iterator[tuple[str, ...]]:
    """Columns in the orders in which they could serve; ``equal`` are those of equality, the most selective first."""
    joined, ranged = list(dict.fromkeys(use.joined)), list(dict.fromkeys(use.ranged))
    ordered = [c for c in dict.fromkeys(use.ordered) if c not in equal]
    for column in dict.fromkeys([*equal, *joined, *ranged, *use.computed]):
        yield (column,)
    if len(equal) > 1:
        yield tuple(equal)
    yield from ((*equal, column) for column in ranged if equal and column not in equal)
    for column in joined:
        rest = [c for c in equal if c != column]
        if rest:
            yield (column, *rest)
            yield (*rest, column)
        yield from ((column, c) for c in ranged if c != column)
    if ordered:
        yield (*equal, *ordered)
        yield tuple(ordered)
    if use.grouped and not equal:
        yield tuple(dict.fromkeys(use.grouped))


class _Owners:
    """Which table of a statement a column is of."""

    def __init__(self, tree: Expr, tables: Mapping[str, TableFacts]) -> None:
        self.tables = tables
        self.names: dict[str, str] = {}
        for one in tree.find_all(exp.Table):
            full = f"{one.db}.{one.name}" if one.db and one.db != "public" else one.name
            if full in tables:
                self.names[one.alias_or_name] = full

    def of(self, column: exp.Column) -> str | None:
        if column.table:
            return self.names.get(column.table)
        owners = self.with_column(column.name)
        return owners[0] if len(owners) == 1 else None

    def with_column(self, name: str) -> list[str]:
        return [full for full in dict.fromkeys(self.names.values()) if name in self.tables[full].columns]


def _uses(tree: Expr, tables: Mapping[str, TableFacts], dialect: str) -> dict[str, _Use]:
    owners = _Owners(tree, tables)
    uses = {full: _Use() for full in owners.names.values()}
    for column in tree.find_all(exp.Column):
        if isinstance(column.this, exp.Star):
            if column.table in owners.names:
                uses[owners.names[column.table]].all_columns = True
        elif (full := owners.of(column)) is not None:
            uses[full].read.add(column.name)
    if any(isinstance(star.parent, exp.Select) for star in tree.find_all(exp.Star)):
        for use in uses.values():
            use.all_columns = True
    for condition in _conditions(tree):
        _condition(condition, uses, owners, dialect)
    for kind, attribute in ((exp.Order, "ordered"), (exp.Group, "grouped")):
        for item in (item for clause in tree.find_all(kind) for item in clause.expressions):
            inner = item.this if isinstance(item, exp.Ordered) else item
            if isinstance(inner, exp.Column) and (full := owners.of(inner)) is not None:
                getattr(uses[full], attribute).append(inner.name)
    return uses


def _conditions(tree: Expr) -> Iterator[Expr]:
    holders = [one.this for one in tree.find_all(exp.Where)]
    holders += [join.args["on"] for join in tree.find_all(exp.Join) if join.args.get("on")]
    for body in holders:
        for one in body.flatten() if isinstance(body, exp.And) else [body]:
            yield one.unnest()
    for join in tree.find_all(exp.Join):
        for column in join.args.get("using") or []:
            name = column.name
            yield exp.EQ(this=exp.column(name), expression=exp.column(name))


def _condition(condition: Expr, uses: Mapping[str, _Use], owners: _Owners, dialect: str) -> None:
    if isinstance(condition, exp.EQ) and all(
        isinstance(side, exp.Column) for side in (condition.this, condition.expression)
    ):
        for column in condition.find_all(exp.Column):
            full = owners.of(column)
            # of USING both sides have it
            for name in [full] if full is not None else owners.with_column(column.name) if not column.table else []:
                uses[name].joined.append(column.name)
        return
    if isinstance(condition, exp.Is) or (isinstance(condition, exp.Not) and isinstance(condition.this, exp.Is)):
        first = condition.find(exp.Column)
        if first is not None and (full := owners.of(first)) is not None:
            uses[full].fixed.append(_bare(condition, dialect))
        return
    if isinstance(condition, _EQUAL + _RANGE):
        _compared(condition, uses, owners, dialect)


def _compared(condition: Expr, uses: Mapping[str, _Use], owners: _Owners, dialect: str) -> None:
    """A column, or what is computed of one, against a value."""
    other = condition.args.get("expression")
    side, against = (condition.this, other) if condition.this.find(exp.Column) else (other, condition.this)
    inside = list(side.find_all(exp.Column)) if side is not None else []
    if side is None or len(inside) != 1 or (full := owners.of(inside[0])) is None:
        return
    use = uses[full]
    if side is inside[0]:
        (use.equal if isinstance(condition, _EQUAL) else use.ranged).append(side.name)
        if isinstance(condition, exp.EQ) and isinstance(against, exp.Boolean | exp.Literal):
            use.fixed.append(_bare(condition, dialect))
    elif isinstance(side, exp.Func) and side.find(exp.Placeholder, exp.Parameter) is None:
        use.computed.append(f"({_bare(side, dialect)})")


def _bare(one: Expr, dialect: str) -> str:
    """Without the table's alias, which an index does not know."""
    copy = one.copy()
    for column in copy.find_all(exp.Column):
        column.set("table", None)
        column.set("db", None)
    return copy.sql(dialect=dialect)
