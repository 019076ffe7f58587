"""CSV files put into a PostgreSQL that is made for a trial: each into the table of its name, which is made where there is none."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from graphlib import CycleError, TopologicalSorter
from pathlib import Path
from typing import Any

import polars as pl
import psycopg
from psycopg.sql import SQL, Composed, Identifier

from hardy_gauge.lab.made.calls import said
from hardy_gauge.load.design import BadTrial

FIELD = "target.postgresql.folder"
LOOKED_AT = 10_000  # rows that types are told from
PIECE = 2**20
REFERENCES = """
SELECT child.relname, parent.relname FROM pg_constraint c JOIN pg_class child ON child.oid = c.conrelid
JOIN pg_class parent ON parent.oid = c.confrelid WHERE c.contype = 'f' AND c.conrelid <> c.confrelid
"""
TYPES: tuple[tuple[Any, str], ...] = (
    (pl.Int64, "bigint"), (pl.Float64, "double precision"), (pl.Boolean, "boolean"), (pl.Date, "date"), (pl.Datetime, "timestamp"), (pl.Time, "time"),
)  # fmt: skip


def load_csv(maker: psycopg.Connection[Any], paths: Sequence[Path]) -> None:
    """With the names of columns in the first line; tables that others refer to first. BadTrial names the file that is wrong."""
    by_table = {path.stem: path for path in sorted(paths)}
    for table in _in_order(maker, by_table):
        path = by_table[table]
        try:
            columns = _columns(path)
            if maker.execute("SELECT to_regclass(quote_ident(%s))", (table,)).fetchone() == (None,):
                maker.execute(_definition(table, columns))
            names = SQL(", ").join(Identifier(name) for name in columns)
            copy = SQL("COPY {} ({}) FROM STDIN (FORMAT csv, HEADER)").format(Identifier(table), names)
            with path.open("rb") as file, maker.cursor() as cursor, cursor.copy(copy) as into:
                while piece := file.read(PIECE):
                    into.write(piece)
        except psycopg.Error as error:
            raise BadTrial(f"{FIELD}: {path.name}: {said(error)}", FIELD) from error
        except (OSError, pl.exceptions.PolarsError) as error:
            raise BadTrial(f"{FIELD}: {path.name}: {' '.join(str(error).split())[:200]}", FIELD) from error


def _in_order(maker: psycopg.Connection[Any], tables: Iterable[str]) -> list[str]:
    """What is referred to comes before what refers to it; by name where they refer to each other in a circle."""
    wanted = sorted(tables)
    order: TopologicalSorter[str] = TopologicalSorter({table: set() for table in wanted})
    for child, parent in maker.execute(REFERENCES).fetchall():
        if child in wanted and parent in wanted:
            order.add(child, parent)
    try:
        return list(order.static_order())
    except CycleError:
        return wanted


def _columns(path: Path) -> dict[str, Any]:
    """Names and types as its rows tell them."""
    return dict(pl.scan_csv(path, infer_schema_length=LOOKED_AT, try_parse_dates=True).collect_schema())


def _definition(table: str, columns: dict[str, Any]) -> Composed:
    parts = [SQL("{} {}").format(Identifier(name), SQL(_type(kind))) for name, kind in columns.items()]
    return SQL("CREATE TABLE {} ({})").format(Identifier(table), SQL(", ").join(parts))


def _type(kind: Any) -> str:
    return next((name for one, name in TYPES if kind == one), "text")
