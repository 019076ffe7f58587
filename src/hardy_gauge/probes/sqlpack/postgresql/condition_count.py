"""How many rows fit a condition, counted in pages of a table that are drawn at random.

Nothing that somebody put into the database is called: operators are found in the engine's own schema alone, and a table with row
security, whose policies are functions, is not counted.
"""

from __future__ import annotations

import sqlglot
from sqlglot import exp

from hardy_gauge.errors import ProbeError
from hardy_gauge.probes.sqlpack.connection import Line
from hardy_gauge.probes.sqlpack.postgresql.needed_space import PAGE_BYTES
from hardy_gauge.probes.sqlpack.postgresql.own_query import own_rows

PAGES = 300
NAMES = ("pages", "rows", "fitting", "rows_squared", "fitting_squared", "rows_by_fitting")
TABLE = """
SELECT CASE WHEN c.relrowsecurity THEN 2 WHEN c.relkind IN ('r', 'm', 'p') THEN 1 ELSE 3 END AS value, format('%I.%I', n.nspname, c.relname) AS label
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.oid = to_regclass({name})
"""
WHY_NOT = {2: "it has row security", 3: "it is no table"}
CLOSED = {"search_path": "pg_catalog", "row_security": "off"}
TOTALS = """
SELECT label, value FROM (
  SELECT count(*)::float8 AS pages, sum(n) AS rows, sum(k) AS fitting, sum(n * n) AS rows_squared, sum(k * k) AS fitting_squared,
         sum(n * k) AS rows_by_fitting
  FROM (SELECT count(*)::float8 AS n, (count(*) FILTER (WHERE {condition}))::float8 AS k FROM {source} TABLESAMPLE SYSTEM ({percent:.6g})
        GROUP BY {name}.tableoid, ({name}.ctid::text::point)[0]) AS page) AS totals
CROSS JOIN LATERAL (VALUES {values}) AS found (label, value)
"""


def condition_totals(line: Line, source: str, condition: str, bytes_: float) -> dict[str, float]:
    """Of a table "loan AS l" of so many bytes; ProbeError where the account may not read it, or it takes too long."""
    table = sqlglot.parse_one(f"SELECT 1 FROM {source}", read="postgres").find(exp.Table)
    assert table is not None
    alias = exp.to_identifier(table.alias_or_name, quoted=True).sql(dialect="postgres")
    bare = exp.Table(**{part: table.args.get(part) for part in ("this", "db", "catalog")}).sql(dialect="postgres")
    known = own_rows(line, TABLE.format(name=exp.Literal.string(bare).sql(dialect="postgres")), 1)
    if not known:
        raise ProbeError(f"there is no table {bare}")
    kind = int(known[0]["value"])
    if kind in WHY_NOT:
        raise ProbeError(f"{bare} cannot be counted: {WHY_NOT[kind]}")
    pages = bytes_ / PAGE_BYTES
    part = 1.0 if pages <= PAGES else PAGES / pages
    query = TOTALS.format(
        condition=condition, source=f"{known[0]['label']} AS {alias}", percent=100 * part, name=alias,
        values=", ".join(f"('{name}', {name})" for name in NAMES),
    )  # fmt: skip
    found = {str(row["label"]): float(row["value"] or 0.0) for row in own_rows(line, query, len(NAMES), CLOSED)}
    if found.keys() != set(NAMES):
        raise ProbeError("the server did not give what was counted")
    return {"part": part, **found}
