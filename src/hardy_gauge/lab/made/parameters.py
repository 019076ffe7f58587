"""Values for the parameters of statements, drawn from the columns that they are compared with."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import psycopg
import sqlglot
from psycopg import sql
from sqlglot import exp

LIMITS = ("10", "25", "1", "100")
USUAL: Mapping[str, Sequence[str]] = {
    "boolean": ("t", "f"), "date": ("2026-06-01", "2026-01-15"), "uuid": ("00000000-0000-0000-0000-000000000001",),
    "timestamp with time zone": ("2026-06-01 12:00:00+00", "2026-01-15 00:00:00+00"),
    "timestamp without time zone": ("2026-06-01 12:00:00", "2026-01-15 00:00:00"), "text": ("a", "%", "m"),
}  # fmt: skip
NUMBERS = ("1", "10", "100", "3", "1000")
TYPES = "SELECT parameter_types::text[] FROM pg_prepared_statements WHERE name = %s"


@dataclass(frozen=True)
class Compared:
    """A parameter by number, and the column that it is compared with."""

    number: int
    table: str
    column: str


def compared_with(text: str) -> list[Compared]:
    """What parameters of a statement are compared with columns of which tables; empty where the text cannot be read."""
    try:
        tree = sqlglot.parse_one(text, read="postgres")
    except sqlglot.errors.SqlglotError:
        return []
    tables = {
        t.alias_or_name: exp.Table(this=t.this, db=t.args.get("db")).sql(dialect="postgres")
        for t in tree.find_all(exp.Table)
    }
    found = []
    for parameter in tree.find_all(exp.Parameter):
        number = parameter.this.name if isinstance(parameter.this, exp.Expr) else str(parameter.this)
        around = parameter.find_ancestor(exp.Binary, exp.Between, exp.In, exp.Limit, exp.Offset)
        column = around.find(exp.Column) if isinstance(around, exp.Binary | exp.Between | exp.In) else None
        if column is None or not number.isdigit():
            continue
        owner = tables.get(column.table) or (next(iter(tables.values())) if len(tables) == 1 else None)
        if owner is not None:
            found.append(Compared(int(number), owner, column.name))
    return found


def with_shared_parameters(texts: Sequence[str]) -> list[str]:
    """The texts with parameters in place of the values that they compare columns with, the same one for the same value; as they are where
    one of them cannot be read. Where the rows' values are not the real ones, those of a text mean nothing.
    """
    try:
        trees = [sqlglot.parse_one(text, read="postgres") for text in texts]
    except sqlglot.errors.SqlglotError:
        return list(texts)
    known = [int(name) for tree in trees for one in tree.find_all(exp.Parameter) if (name := one.name).isdigit()]
    numbers: dict[str, int] = {}
    for tree in trees:
        for literal in list(tree.find_all(exp.Literal)):
            around = literal.parent
            if isinstance(
                around, exp.EQ | exp.NEQ | exp.GT | exp.GTE | exp.LT | exp.LTE | exp.Between | exp.In
            ) and isinstance(around.this, exp.Column):
                number = numbers.setdefault(literal.sql(dialect="postgres"), max(known, default=0) + len(numbers) + 1)
                literal.replace(exp.Parameter(this=exp.Literal.number(number)))
    return [tree.sql(dialect="postgres") for tree in trees] if numbers else list(texts)


def draw_parameters(
    connection: psycopg.Connection[Any], texts: Sequence[str], draws: int, seed: int
) -> list[list[str | None]]:
    """So many lists of values, for all texts alike; one empty list where they have no parameters. psycopg.Error where a text is refused."""
    types: list[str] = []
    for number, text in enumerate(texts):
        name = f"asked_{number}"
        connection.execute(f"PREPARE {name} AS {text}".encode(), binary=True)
        (found,) = connection.execute(TYPES, [name]).fetchone() or ([],)
        connection.execute(f"DEALLOCATE {name}".encode())
        types += (found or [])[len(types) :]
    if not types:
        return [[]]
    draw = np.random.default_rng(seed)
    columns = {one.number: one for text in reversed(texts) for one in compared_with(text)}
    pools = [_pool(connection, columns.get(place + 1), of, draws, seed) for place, of in enumerate(types)]
    return [[pool[int(draw.integers(len(pool)))] if k else pool[0] for pool in pools] for k in range(draws)]


def _pool(
    connection: psycopg.Connection[Any], column: Compared | None, type_: str, draws: int, seed: int
) -> list[str | None]:
    """Values of rows drawn from the column, so that what is frequent is drawn often, with the least and the greatest; where there is no
    column, usual ones of the type.
    """
    if column is not None:
        name = sql.Identifier(column.column).as_string(connection)
        query = (
            f"SELECT v FROM ((SELECT {name}::text AS v, md5(ctid::text || '{int(seed)}') AS o FROM {column.table} WHERE {name} IS NOT NULL ORDER BY 2 LIMIT {draws}) "
            f"UNION ALL (SELECT min({name})::text, '' FROM {column.table}) UNION ALL (SELECT max({name})::text, '' FROM {column.table})) AS drawn WHERE v IS NOT NULL"
        )
        try:
            found = [row[0] for row in connection.execute(query.encode()).fetchall()]
        except psycopg.Error:
            found = []
        if found:
            return found
    return list(usual_values(type_))


def usual_values(type_: str) -> list[str]:
    """Of a type, where nothing else is known."""
    if type_.endswith("[]"):
        return ["{}"]
    if type_ in ("bigint",):
        return list(LIMITS)
    return list(
        USUAL.get(type_, NUMBERS if type_ in ("integer", "smallint", "numeric", "double precision", "real") else ("1",))
    )
