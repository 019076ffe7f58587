"""A statement as checks see it: its tree, and the tables that are known."""

from __future__ import annotations

import logging
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypeVar

import sqlglot
from sqlglot import Expr, exp

from hardy_gauge.core.sql.predicates import Unreadable

# what the parser does not know it takes as a command, and says so; that is no trouble of ours
logging.getLogger("sqlglot").setLevel(logging.ERROR)


Part = TypeVar("Part", bound=Expr)


@dataclass(frozen=True)
class ColumnShape:
    """``kind`` is its type as it is declared, in lower case; ``nullable`` whether it can be null, None where that is not known."""

    kind: str
    nullable: bool | None


@dataclass(frozen=True)
class TableShape:
    """Columns by name, and the columns of each index, those of keys among them."""

    columns: Mapping[str, ColumnShape]
    indexes: tuple[tuple[str, ...], ...] = ()


@dataclass(frozen=True)
class Parsed:
    """``tables`` are those of the schema, by name in lower case; empty where none is given; ``fresh`` were made in the
    same file, so that nobody uses them yet.
    """

    text: str
    tree: Expr
    dialect: str
    tables: Mapping[str, TableShape] = field(default_factory=dict)
    fresh: frozenset[str] = frozenset()

    @cached_property
    def nodes(self) -> tuple[Expr, ...]:
        """Everything in it, the outer parts first; walked once for all checks."""
        return tuple(self.tree.walk())

    def all(self, *types: type[Part]) -> Iterator[Part]:
        """Every part of these types, the outer ones first."""
        return (node for node in self.nodes if isinstance(node, types))

    @cached_property
    def conditions(self) -> tuple[Expr, ...]:
        """Conditions of every WHERE and ON, each that has to hold by itself."""
        held = [conditions(where) for where in self.all(exp.Where)]
        held += [conditions(join.args.get("on")) for join in self.all(exp.Join)]
        return tuple(part for parts in held for part in parts)

    def selects(self) -> Iterator[exp.Select]:
        """Every SELECT, the outer ones first."""
        return self.all(exp.Select)

    def sql(self, part: Expr) -> str:
        """A part of it as text, at most sixty characters."""
        text = " ".join(part.sql(dialect=self.dialect).split())
        return text if len(text) <= 60 else f"{text[:59]}…"

    def shape_of(self, column: exp.Column) -> ColumnShape | None:
        """The column as its table is declared; None where it is not known, or could be of several tables."""
        scope = column.find_ancestor(exp.Select, exp.Update, exp.Delete) or self.tree
        names = {t.alias_or_name.lower(): t.name.lower() for t in scope.find_all(exp.Table)}
        if column.table:
            table = self.tables.get(names.get(column.table.lower(), ""))
            return table.columns.get(column.name.lower()) if table else None
        owners = [
            self.tables[t]
            for t in dict.fromkeys(names.values())
            if t in self.tables and column.name.lower() in self.tables[t].columns
        ]
        return owners[0].columns[column.name.lower()] if len(owners) == 1 else None


def parsed(
    text: str, dialect: str, tables: Mapping[str, TableShape] | None = None, fresh: frozenset[str] = frozenset()
) -> Parsed:
    """Unreadable says where, when the text cannot be parsed."""
    try:
        tree = sqlglot.parse_one(text, read=dialect)
    except sqlglot.errors.SqlglotError as error:
        raise Unreadable(str(error).splitlines()[0].replace("\x1b[4m", "").replace("\x1b[0m", "")) from error
    except (TypeError, AttributeError, ValueError, RecursionError) as error:
        raise Unreadable(f"this is no statement that can be read: {error}") from error
    return Parsed(text, tree, dialect, tables or {}, fresh)


def conditions(holder: Expr | None) -> list[Expr]:
    """The parts of a condition that all have to hold."""
    if holder is None:
        return []
    body = holder.this if isinstance(holder, (exp.Where, exp.Having)) else holder
    body = body.unnest()
    return [part.unnest() for part in body.flatten()] if isinstance(body, exp.And) else [body]
