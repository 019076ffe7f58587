"""Plans and index advice against real engines that the test starts.

Sources: SQLite (the standard library's) and PostgreSQL (Debian's package).
"""

from __future__ import annotations

import itertools
import json
import sqlite3
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from hardy_gauge.core.evidence.schema import ColumnFacts, IndexFacts, TableFacts
from hardy_gauge.core.plans.readers import read_plan
from hardy_gauge.core.remedies.index import advise_index
from hardy_gauge.core.sql.predicates import read_uses
from hardy_gauge.probes.protocol import ExplainRequest, IndexSpec, Refused, Schema
from hardy_gauge.probes.sqlite import SqliteProbe
from tests.postgres import running_postgres

SAMPLE = Path(__file__).parents[3] / "src/hardy_gauge/load/samples/library.sql"
STATEMENTS = [
    "SELECT id FROM loan WHERE due_day = 7",
    "SELECT id FROM loan WHERE due_day = 7 AND returned = 0 ORDER BY id LIMIT 5",
    "SELECT count(*) FROM loan",
    "SELECT branch_id, count(*) FROM item GROUP BY branch_id ORDER BY 2 DESC",
    "SELECT l.id, i.shelf FROM loan l JOIN item i ON i.id = l.item_id WHERE l.patron_id = 17",
    "SELECT i.shelf, count(*) FROM loan l JOIN item i ON i.id = l.item_id WHERE l.returned = 0 GROUP BY i.shelf",
    "SELECT id FROM item WHERE title_id IN (SELECT title_id FROM item WHERE branch_id = 3)",
    "SELECT id FROM loan WHERE id BETWEEN 100 AND 400 ORDER BY due_day",
    "SELECT * FROM (SELECT patron_id, sum(returned) s FROM loan GROUP BY patron_id) x WHERE s > 3",
    "SELECT id, (SELECT max(due_day) FROM loan l WHERE l.item_id = i.id) FROM item i WHERE i.id < 40",
    "SELECT id, rank() OVER (PARTITION BY branch_id ORDER BY title_id) FROM item WHERE id < 2000",
    "WITH RECURSIVE r(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM r WHERE n < 500) SELECT sum(n) FROM r",
    "WITH busy AS MATERIALIZED (SELECT patron_id, count(*) c FROM loan GROUP BY 1) SELECT a.c FROM busy a JOIN busy b USING (patron_id) WHERE a.c > 4",
    "SELECT id FROM item WHERE branch_id = 2 UNION SELECT item_id FROM loan WHERE due_day < 3",
    "SELECT id FROM item WHERE id < 50 UNION ALL SELECT id FROM loan WHERE id < 50",
    "SELECT i.id FROM item i WHERE NOT EXISTS (SELECT 1 FROM loan l WHERE l.item_id = i.id AND l.due_day = 9)",
    "SELECT b.branch_id, x.id FROM (SELECT DISTINCT branch_id FROM item) b, LATERAL (SELECT id FROM item WHERE branch_id = b.branch_id ORDER BY id DESC LIMIT 2) x",
    "SELECT count(*) FROM loan WHERE item_id = 5 OR patron_id = 6",
    "SELECT count(DISTINCT patron_id) FROM loan WHERE due_day BETWEEN 10 AND 400",
    "SELECT l.id FROM loan l LEFT JOIN item i ON i.id = l.item_id AND i.branch_id = 99 WHERE l.id < 900 ORDER BY i.shelf NULLS FIRST",
    "SELECT branch_id, returned, count(*) FROM loan l JOIN item i ON i.id = l.item_id GROUP BY ROLLUP (branch_id, returned)",
    "SELECT * FROM item a JOIN item b ON a.title_id < b.title_id AND a.id < 30 AND b.id < 60",
    "SELECT id FROM loan WHERE id = 5 AND false",
    "SELECT sum(v) FROM (VALUES (1), (2), (3)) t(v)",
    "SELECT g, count(*) FROM generate_series(1, 3000) g LEFT JOIN item i ON i.id = g GROUP BY g ORDER BY 2, 1 LIMIT 7",
    "SELECT CASE WHEN id < 0 THEN (SELECT count(*) FROM loan) ELSE 0 END FROM item WHERE id < 10",
]


@pytest.fixture(scope="module")
def postgres() -> Iterator[psycopg.Connection]:
    """A PostgreSQL of the test's own, with the sample's tables."""
    with running_postgres("-c min_parallel_table_scan_size=0") as connection:
        connection.execute(
            "CREATE TABLE item AS SELECT i AS id, i % 6100 AS title_id, i % 43 AS branch_id, 'shelf ' || (i % 520) AS shelf FROM generate_series(1, 20000) i"
        )
        connection.execute(
            "CREATE TABLE loan AS SELECT i AS id, 1 + i * 7919 % 20000 AS item_id, 1 + i * 10007 % 30000 AS patron_id, i * 31 % 1400 AS due_day, (i % 9 > 0)::int AS returned FROM generate_series(1, 120000) i"
        )
        for index in ("item (id)", "loan (item_id)", "loan (patron_id)", "loan (id)"):
            connection.execute(f"CREATE INDEX ON {index}")
        connection.execute("ANALYZE")
        yield connection


@pytest.mark.postgres
@pytest.mark.parametrize("workers", [0, 2])
@pytest.mark.parametrize("sql", STATEMENTS)
def test_own_times_of_a_real_plan_add_up(postgres: psycopg.Connection, sql: str, workers: int) -> None:
    postgres.execute(f"SET max_parallel_workers_per_gather = {workers}")
    postgres.execute("SET parallel_setup_cost = 0")
    row = postgres.execute(f"EXPLAIN (ANALYZE, BUFFERS, FORMAT JSON) {sql}").fetchone()  # type: ignore[arg-type]
    assert row is not None
    plan = read_plan(json.dumps(row[0]))
    root = row[0][0]["Plan"]
    owns = [s.own_time_s for _, s in plan.root.walk() if s.own_time_s is not None]
    assert sum(owns) == pytest.approx(root["Actual Total Time"] / 1000, rel=1e-6, abs=1e-7)
    assert all(own >= 0 for own in owns)
    assert plan.root.rows_seen == root["Actual Rows"]


@pytest.mark.postgres
def test_the_plans_are_of_thirty_shapes_and_more(postgres: psycopg.Connection) -> None:
    shapes = set()
    for workers, sql in itertools.product((0, 2), STATEMENTS):
        postgres.execute(f"SET max_parallel_workers_per_gather = {workers}")
        row = postgres.execute(f"EXPLAIN (FORMAT JSON) {sql}").fetchone()  # type: ignore[arg-type]
        assert row is not None
        shapes.add(read_plan(json.dumps(row[0])).plan_id)
    assert len(shapes) >= 30


@pytest.mark.postgres
def test_advised_index_is_used_and_fewer_rows_are_read(postgres: psycopg.Connection) -> None:
    sql = "SELECT id FROM loan WHERE due_day = 7 AND returned = 0 ORDER BY id LIMIT 5"
    columns = {c: ColumnFacts(c, 4, d) for c, d in [("id", 120000), ("due_day", 1400), ("returned", 2)]}
    table = TableFacts("loan", 120000, 1e7, columns, [IndexFacts("loan_id", ("id",), False)])
    advice = advise_index(read_uses(sql, {"loan": list(columns)}).tables["loan"], table)
    assert advice is not None and advice.columns == ["due_day", "returned", "id"]

    def examined() -> tuple[float, str]:
        row = postgres.execute(f"EXPLAIN (ANALYZE, FORMAT JSON) {sql}").fetchone()  # type: ignore[arg-type]
        assert row is not None
        plan = read_plan(json.dumps(row[0]))
        return sum(s.rows_examined or 0 for _, s in plan.root.walk()), json.dumps(row[0])

    before, _ = examined()
    postgres.execute(advice.script)  # type: ignore[arg-type]
    after, text = examined()
    postgres.execute(advice.undo)  # type: ignore[arg-type]
    assert advice.name in text
    assert after <= 5 < before


@pytest.fixture(scope="module")
def library(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("sqlite") / "library.db"
    with sqlite3.connect(path) as connection:
        connection.executescript(SAMPLE.read_text())
    return path


def facts(schema: Schema, name: str) -> TableFacts:
    table = next(t for t in schema.tables if t.name == name)
    columns = {c.name: ColumnFacts(c.name, c.width_bytes, c.distinct) for c in table.columns}
    indexes = [IndexFacts(i.name, tuple(i.columns), i.unique) for i in table.indexes]
    return TableFacts(name, table.rows, table.bytes, columns, indexes)


def test_sqlite_would_use_and_then_uses_the_advised_index(library: Path) -> None:
    probe = SqliteProbe(library)
    sql = "SELECT id FROM loan WHERE due_day = ? AND returned = 0 ORDER BY patron_id"
    before = probe.explain(ExplainRequest(text=sql))
    assert [s.operation for s in before.root.steps] == ["scan"], "all rows, in the order of another index"
    advice = advise_index(
        read_uses(sql, {"loan": ["due_day", "returned", "patron_id"]}, "sqlite").tables["loan"],
        facts(probe.schema(), "loan"),
    )
    assert advice is not None
    imagined = probe.explain(
        ExplainRequest(text=sql, add_indexes=[IndexSpec(name=advice.name, table="loan", columns=advice.columns)])
    )
    assert [(s.operation, s.index) for s in imagined.root.steps] == [("index only", advice.name)]
    with sqlite3.connect(library) as connection:
        connection.execute(advice.script)
    real = probe.explain(ExplainRequest(text=sql))
    with sqlite3.connect(library) as connection:
        connection.execute(advice.undo)
    assert real.root == imagined.root


def test_sqlite_probe_names_what_is_wrong(library: Path) -> None:
    probe = SqliteProbe(library)
    with pytest.raises(Refused, match="no such column: colour"):
        probe.explain(ExplainRequest(text="SELECT colour FROM loan"))
    with pytest.raises(Refused, match="colour"):
        probe.explain(
            ExplainRequest(text="SELECT id FROM loan", add_indexes=[IndexSpec(table="loan", columns=["colour"])])
        )
    values = {s.name: s.value for s in probe.settings().settings}
    assert values["page_size"] == 4096 and values["journal_mode"] == "delete"
