"""What the tables of an empty copy are made of: columns, keys, and what refers to what."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import psycopg

_USERS = "n.nspname NOT LIKE 'pg\\_%' AND n.nspname <> 'information_schema'"
_NAME = "format('%I.%I', n.nspname, c.relname)"
COLUMNS = f"""
SELECT {_NAME} AS relation, a.attname AS name, format_type(a.atttypid, a.atttypmod) AS type, b.typname AS base, b.typcategory::text AS category,
       a.attnotnull AS not_null, CASE WHEN b.typname IN ('varchar', 'bpchar') AND a.atttypmod > 4 THEN a.atttypmod - 4 END AS longest,
       CASE WHEN b.typname = 'numeric' AND a.atttypmod > 4 THEN (a.atttypmod - 4) & 2047 END AS decimals,
       (SELECT array_agg(e.enumlabel::text ORDER BY e.enumsortorder) FROM pg_enum e WHERE e.enumtypid = b.oid) AS labels
FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace JOIN pg_type t ON t.oid = a.atttypid
     JOIN pg_type b ON b.oid = CASE WHEN t.typtype = 'd' THEN t.typbasetype ELSE t.oid END
WHERE c.relkind = 'r' AND a.attnum > 0 AND NOT a.attisdropped AND {_USERS} ORDER BY c.oid, a.attnum
"""
_KEY_COLUMNS = "ARRAY(SELECT a.attname::text FROM unnest({numbers}) WITH ORDINALITY AS k(attnum, place) JOIN pg_attribute a ON a.attrelid = {table} AND a.attnum = k.attnum ORDER BY k.place)"  # fmt: skip
KEYS = f"""
SELECT {_NAME} AS relation, {_KEY_COLUMNS.format(numbers="(i.indkey::int2[])[0:i.indnkeyatts - 1]", table="c.oid")} AS columns
FROM pg_index i JOIN pg_class c ON c.oid = i.indrelid JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE i.indisunique AND i.indexprs IS NULL AND i.indpred IS NULL AND c.relkind = 'r' AND {_USERS}
"""
FOREIGN = f"""
SELECT {_NAME} AS relation, {_KEY_COLUMNS.format(numbers="o.conkey", table="o.conrelid")} AS columns,
       (SELECT format('%I.%I', m.nspname, p.relname) FROM pg_class p JOIN pg_namespace m ON m.oid = p.relnamespace WHERE p.oid = o.confrelid) AS parent,
       {_KEY_COLUMNS.format(numbers="o.confkey", table="o.confrelid")} AS parent_columns
FROM pg_constraint o JOIN pg_class c ON c.oid = o.conrelid JOIN pg_namespace n ON n.oid = c.relnamespace WHERE o.contype = 'f' AND c.relkind = 'r' AND {_USERS}
"""
PARTS = f"""
SELECT {_NAME} AS relation, pg_get_partition_constraintdef(c.oid) AS condition,
       CASE WHEN (SELECT partstrat FROM pg_partitioned_table t WHERE t.partrelid = h.inhparent) = 'h'
            THEN (SELECT count(*) FROM pg_inherits s WHERE s.inhparent = h.inhparent) ELSE 1 END AS times
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace JOIN pg_inherits h ON h.inhrelid = c.oid WHERE c.relispartition AND c.relkind = 'r' AND {_USERS}
"""


@dataclass(frozen=True)
class ColumnLayout:
    """``base`` is the engine's name of its type, of a domain's what it stands on; ``category`` the engine's letter for its kind;
    ``longest`` characters and ``decimals`` where they are limited; ``labels`` of an enumeration.
    """

    name: str
    type: str
    base: str
    category: str
    not_null: bool
    longest: int | None = None
    decimals: int | None = None
    labels: tuple[str, ...] = ()


@dataclass(frozen=True)
class ForeignKey:
    columns: tuple[str, ...]
    parent: str
    parent_columns: tuple[str, ...]


@dataclass
class TableLayout:
    """A table that holds rows. Of a partition ``condition`` is what its rows must fulfil, and ``times`` how many times as many rows must
    be drawn since so many partitions share them by a hash.
    """

    name: str
    columns: list[ColumnLayout]
    keys: list[tuple[str, ...]] = field(default_factory=list)
    foreign: list[ForeignKey] = field(default_factory=list)
    condition: str = ""
    times: int = 1


def read_layouts(connection: psycopg.Connection[Any]) -> list[TableLayout]:
    """All tables, those that others refer to before those."""
    tables: dict[str, TableLayout] = {}
    for row in _rows(connection, COLUMNS):
        relation = row.pop("relation")
        row["labels"] = tuple(row["labels"] or ())
        tables.setdefault(relation, TableLayout(relation, [])).columns.append(ColumnLayout(**row))
    for row in _rows(connection, KEYS):
        if row["relation"] in tables and row["columns"]:
            tables[row["relation"]].keys.append(tuple(row["columns"]))
    for row in _rows(connection, FOREIGN):
        if row["relation"] in tables:
            key = ForeignKey(tuple(row["columns"]), row["parent"], tuple(row["parent_columns"]))
            tables[row["relation"]].foreign.append(key)
    for row in _rows(connection, PARTS):
        tables[row["relation"]].condition, tables[row["relation"]].times = row["condition"] or "", row["times"]
    return in_order(tables)


def limits(condition: str, column: str) -> tuple[str | None, str | None, list[str]]:
    """The least and the greatest value that a partition's condition lets a column have, and the values where it lists them."""
    name = rf'(?:{re.escape(column)}|"{re.escape(column)}")'
    value = r"(?:'((?:[^']|'')*)'(?:::[\w ]+)?|(-?[\d.]+))"
    low = re.search(rf"{name} >= {value}", condition)
    high = re.search(rf"{name} < {value}", condition)
    listed = re.search(rf"{name} = ANY \(ARRAY\[(.*?)\]\)", condition) or re.search(rf"{name} = ({value})", condition)
    found = [one or two for one, two in re.findall(value, listed[1])] if listed else []
    return (low[1] or low[2]) if low else None, (high[1] or high[2]) if high else None, found


def in_order(tables: Mapping[str, TableLayout]) -> list[TableLayout]:
    """Parents first; where they refer to each other in a circle, as they come."""
    found: list[TableLayout] = []
    done, going = set[str](), set[str]()

    def visit(name: str) -> None:
        if name in done or name in going or name not in tables:
            return
        going.add(name)
        for key in tables[name].foreign:
            visit(key.parent)
        done.add(name)
        found.append(tables[name])

    for name in tables:
        visit(name)
    return found


def _rows(connection: psycopg.Connection[Any], sql: str) -> list[dict[str, Any]]:
    cursor = connection.execute(sql.encode())
    names = [column.name for column in cursor.description or ()]
    return [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]
