"""Statements with which nothing is wrong: of 600 drawn from forty shapes, fewer than one in a hundred may be called wrong."""

from __future__ import annotations

import random

import pytest

from hardy_gauge.core.checks.check import at_least
from hardy_gauge.core.checks.registry import checked
from hardy_gauge.core.checks.statement import ColumnShape, TableShape

NUMBERS, TEXTS, TIMES = (
    ("copies", "branch_id", "shelf", "fee"),
    ("title", "code", "state", "note"),
    ("due_at", "made_at", "seen_at"),
)
TABLES = ("loan", "item", "patron", "hold", "visit", "branch")
SHAPE = TableShape(
    {name: ColumnShape("integer", False) for name in ("id", *NUMBERS, *(f"{t}_id" for t in TABLES))}
    | {name: ColumnShape("varchar(80)", name == "note") for name in TEXTS}
    | {name: ColumnShape("timestamp with time zone", False) for name in TIMES},
    (("id",),),
)
SCHEMA = dict.fromkeys(TABLES, SHAPE)
SHAPES = (
    "SELECT {t}, {u} FROM {a} WHERE id = $1",
    "SELECT id, {t} FROM {a} WHERE {n} = $1 AND {t} = $2 ORDER BY {d} DESC LIMIT 20",
    "SELECT id FROM {a} WHERE {n} IN ($1, $2, $3)",
    "SELECT id, {d} FROM {a} WHERE {d} >= $1 AND {d} < $2 ORDER BY {d}",
    "SELECT id, {t} FROM {a} WHERE {t} LIKE 'The %' ORDER BY {t} LIMIT 50",
    "SELECT count(*) FROM {a} WHERE {t} = 'open'",
    "SELECT {t}, count(*) AS number FROM {a} GROUP BY {t} HAVING count(*) > 3 ORDER BY number DESC",
    "SELECT a.id, b.{t} FROM {a} a JOIN {b} b ON b.id = a.{b}_id WHERE a.{n} = $1",
    "SELECT a.id, b.{t}, c.{t} FROM {a} a JOIN {b} b ON b.id = a.{b}_id JOIN {c} c ON c.id = b.{c}_id WHERE a.{d} > now() - interval '7 days'",
    "SELECT a.id, b.{t} FROM {a} a LEFT JOIN {b} b ON b.id = a.{b}_id WHERE a.{n} > 5",
    "SELECT a.id FROM {a} a LEFT JOIN {b} b ON b.{a}_id = a.id WHERE b.id IS NULL",
    "SELECT a.id, a.{t} FROM {a} a WHERE EXISTS (SELECT 1 FROM {b} b WHERE b.{a}_id = a.id AND b.{n} > $1)",
    "SELECT id FROM {a} WHERE {b}_id IN (SELECT id FROM {b} WHERE {t} = $1)",
    "SELECT id FROM {a} WHERE {b}_id NOT IN (SELECT id FROM {b} WHERE {n} = 4)",
    "SELECT id, {t} FROM {a} WHERE id > $1 ORDER BY id LIMIT 100",
    "WITH late AS (SELECT id, {n} FROM {a} WHERE {d} < now()) SELECT {n}, count(*) FROM late GROUP BY {n}",
    "SELECT id, row_number() OVER (PARTITION BY {n} ORDER BY {d} DESC) AS place FROM {a} WHERE {t} = $1",
    "SELECT {n}, sum({m}) AS total, avg({m}) AS middle FROM {a} WHERE {d} >= date '2026-01-01' GROUP BY {n}",
    "SELECT id, CASE WHEN {n} > 5 THEN 'many' ELSE 'few' END AS size FROM {a} WHERE {t} = 'x'",
    "SELECT id, coalesce(note, '') AS note FROM {a} WHERE note IS NOT NULL AND {n} = $1",
    "SELECT id FROM {a} WHERE {n} = $1 UNION ALL SELECT id FROM {b} WHERE {n} = $1",
    "SELECT id FROM {a} WHERE {n} = $1 UNION SELECT id FROM {b} WHERE {n} = $1",
    "SELECT count(DISTINCT {n}) FROM {a} WHERE {d} > $1",
    "SELECT count(*) FILTER (WHERE {t} = 'open') AS open, count(*) AS whole FROM {a} WHERE {n} = $1",
    "SELECT max({d}) FROM {a} WHERE {n} = $1",
    "SELECT DISTINCT {t} FROM {a} WHERE {n} = $1 ORDER BY {t}",
    "SELECT DISTINCT a.id, b.{t} FROM {a} a JOIN {b} b ON b.{a}_id = a.id WHERE a.{n} = $1",
    "SELECT lower({t}) AS small, id FROM {a} WHERE id = $1",
    "SELECT id FROM {a} WHERE {t} = lower($1)",
    "SELECT id, ({n} + {m}) / 2 AS half FROM {a} WHERE id BETWEEN $1 AND $2",
    "SELECT id FROM {a} WHERE {d} BETWEEN now() - interval '1 day' AND now()",
    "SELECT a.id, last.{d} FROM {a} a CROSS JOIN LATERAL (SELECT {d} FROM {b} b WHERE b.{a}_id = a.id ORDER BY {d} DESC LIMIT 1) last WHERE a.{n} = $1",
    "SELECT id FROM {a} WHERE {n} = (SELECT max({n}) FROM {b})",
    "INSERT INTO {a} ({n}, {t}, {d}) VALUES ($1, $2, now())",
    "INSERT INTO {a} ({n}, {t}) VALUES ($1, $2) ON CONFLICT ({n}) DO UPDATE SET {t} = excluded.{t}",
    "INSERT INTO {a} ({n}, {t}) SELECT {n}, {t} FROM {b} WHERE id = $1",
    "UPDATE {a} SET {n} = {n} + 1, {d} = now() WHERE id = $1",
    "UPDATE {a} SET {t} = b.{t} FROM {b} b WHERE b.id = {a}.{b}_id AND {a}.{n} = $1",
    "DELETE FROM {a} WHERE {d} < now() - interval '90 days' AND id BETWEEN $1 AND $2",
    "SELECT id FROM {a} WHERE {n} = $1 FOR UPDATE SKIP LOCKED",
    "CREATE INDEX CONCURRENTLY {a}_{n} ON {a} ({n})",
    "ALTER TABLE {a} ADD COLUMN extra text",
)  # fmt: skip
DRAWN = 600


def statements() -> list[str]:
    draw, found = random.Random(16), dict[str, None]()
    while len(found) < DRAWN:
        a, b, c = draw.sample(TABLES, 3)
        (n, m), (t, u) = draw.sample(NUMBERS, 2), draw.sample(TEXTS[:3], 2)
        found[draw.choice(SHAPES).format(a=a, b=b, c=c, n=n, m=m, t=t, u=u, d=draw.choice(TIMES))] = None
    return list(found)


@pytest.mark.parametrize("schema", [{}, SCHEMA], ids=["without a schema", "with a schema"])
def test_hardly_any_is_called_wrong(schema: dict[str, TableShape]) -> None:
    wrong = {
        sql: [found.check.name for found in seen]
        for sql in statements()
        if (seen := [found for found in checked(sql, "postgres", schema) if at_least(found.check.grade, "plan")])
    }
    assert len(wrong) < DRAWN / 100, wrong
