"""The planner twin: making one of 200 tables, what-if plans a second, and the index set of 500 statements on 100 tables; checks a second."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import psycopg
from tests.core.outside.corpus import CORPUS
from tests.lab.test_twin import facts_of
from tests.postgres import running_postgres

from benchmarks.goals import Goals, at_least, at_most
from hardy_gauge.core.checks.registry import checked
from hardy_gauge.core.indexes.choosing import ENTRY_WRITE_S
from hardy_gauge.core.indexes.sheet import Workload, WorkloadStatement
from hardy_gauge.core.sql.predicates import Unreadable
from hardy_gauge.lab.index_advice import advise_indexes
from hardy_gauge.lab.twin.asking import WhatIf, open_twin
from hardy_gauge.lab.twin.make import make_twin, remove_twin
from hardy_gauge.probes.outbound import Credential
from hardy_gauge.probes.sqlpack.probe import SqlPackProbe
from hardy_gauge.queries.evidence import _table

TABLES, OF_WORKLOAD, STATEMENTS, ASKED = 200, 100, 500, 100

GOALS: Goals = {"twin_of_200_tables_s": at_most(20), "what_if_plans_per_s": at_least(50), "index_set_of_500_statements_s": at_most(60), "checked_statements_per_s": at_least(500)}  # fmt: skip


def _workload(connection: psycopg.Connection) -> Workload:
    address = f"postgresql:///postgres?host={connection.info.host}&port={connection.info.port}"
    probe = SqlPackProbe(address, credential=Credential("gauge", "x", True))
    tables = {one.name: _table(one.model_dump(), None) for one in probe.schema().tables}
    probe.close()
    statements = []
    for number in range(STATEMENTS):
        t, u = number % OF_WORKLOAD, (number * 7 + 1) % OF_WORKLOAD
        text = (
            f"SELECT * FROM t{t} WHERE a = $1 AND b > $2", f"SELECT a, count(*) FROM t{t} WHERE c = $1 GROUP BY a",
            f"SELECT x.* FROM t{t} x JOIN t{u} y ON y.id = x.b WHERE y.c = $1 AND x.d > $2", f"SELECT * FROM t{t} WHERE d = $1 ORDER BY b LIMIT 10",
            f"SELECT * FROM t{t} WHERE id = $1",
        )[number % 5]  # fmt: skip
        statements.append(WorkloadStatement(f"{number:016x}", text, "select", 100.0, 1.0 + number % 13, 100.0))
    return Workload("many", "postgres", 0, 60_000_000, 60.0, statements, tables, {})


def _entry_write_s(connection: psycopg.Connection) -> float:
    """Seconds that one more entry anywhere in a B-tree takes, from rows written with and without four indexes, in turns."""
    rows, more = 100_000, 4
    took: dict[int, list[float]] = {0: [], more: []}
    for _ in range(3):
        for indexes in (0, more):
            connection.execute("DROP TABLE IF EXISTS written")
            connection.execute("CREATE TABLE written (id int PRIMARY KEY, a int, b int, c int, d int)")
            for column in "abcd"[:indexes]:
                connection.execute(f"CREATE INDEX ON written ({column})".encode())
            values = ", ".join(["(random() * 1e6)::int"] * 4)
            began = time.perf_counter()
            connection.execute(f"INSERT INTO written SELECT i, {values} FROM generate_series(1, {rows}) i".encode())
            took[indexes].append(time.perf_counter() - began)
    return (min(took[more]) - min(took[0])) / rows / more


def measure() -> dict[str, float]:
    with running_postgres() as connection, tempfile.TemporaryDirectory() as folder:
        connection.execute("CREATE ROLE gauge LOGIN; GRANT pg_monitor, pg_read_all_data TO gauge")
        for number in range(TABLES):
            connection.execute(
                f"CREATE TABLE t{number} (id int PRIMARY KEY, a int, b int, c text, d date);"
                f"INSERT INTO t{number} SELECT i, i % 90, (random() * 900)::int, 'c' || i % 40, date '2026-01-01' + i % 300 FROM generate_series(1, 3000) i".encode()
            )
        connection.execute("ANALYZE")
        entry_s = _entry_write_s(connection)
        work, twin_folder = _workload(connection), Path(folder) / "twin"
        began = time.perf_counter()
        make_twin(facts_of(connection, True), "many", twin_folder)
        made_s = time.perf_counter() - began
        try:
            with open_twin(twin_folder) as twin:
                began = time.perf_counter()
                for number in range(ASKED):
                    with twin.what_if(WhatIf(indexes=[f"t{number}(a, b)"])):
                        twin.plan(f"SELECT * FROM t{number} WHERE a = 5 AND b > 800")
                asked_s = time.perf_counter() - began
            began = time.perf_counter()
            advise_indexes(twin_folder, work, 2**30)
            advised_s = time.perf_counter() - began
        finally:
            remove_twin(twin_folder)
    began, count = time.perf_counter(), 0
    for _, text in CORPUS:
        try:
            checked(text, "postgres")
        except Unreadable:
            continue
        count += 1
    return {
        "twin_of_200_tables_s": made_s, "what_if_plans_per_s": ASKED / asked_s,
        "index_set_of_500_statements_s": advised_s, "checked_statements_per_s": count / (time.perf_counter() - began),
        "entry_write_s": entry_s, "entry_write_reckoned_s": ENTRY_WRITE_S,
    }  # fmt: skip
