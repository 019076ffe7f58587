"""Accounts of real plans add up: PostgreSQL with workers, sub-plans, steps that never run, spills, CTEs, partitions, triggers; SQLite."""

from __future__ import annotations

import json
import random
import sqlite3
from collections.abc import Iterator
from typing import Any

import psycopg
import pytest

from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.plans.readers import read_plan
from hardy_gauge.core.plans.sheet import plan_sheet
from tests.lab.schemas import SCHEMAS, drawn
from tests.postgres import running_postgres

EACH = 5
SPECIAL = [
    "WITH busy AS MATERIALIZED (SELECT copy_id, count(*) n FROM loan GROUP BY 1) SELECT * FROM busy a JOIN busy b USING (copy_id) WHERE a.n > 8",
    "SELECT * FROM loan WHERE patron = (SELECT max(patron) FROM loan WHERE fee > 20)",
    "SELECT t.id, (SELECT count(*) FROM copy c WHERE c.title_id = t.id) FROM title t WHERE t.year = 1950",
    "SELECT * FROM loan ORDER BY note, due",
    "SELECT patron, count(DISTINCT copy_id) FROM loan GROUP BY patron",
    "SELECT * FROM title WHERE year = 1 AND id IN (SELECT title_id FROM copy WHERE branch = 3)",
    "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 2000) SELECT sum(i) FROM n",
    "SELECT * FROM copy WHERE title_id NOT IN (SELECT id FROM title WHERE year < 1960)",
    "SELECT count(*) FROM loan a, loan b WHERE a.patron = b.patron AND a.patron > 4000",
    "UPDATE copy SET title_id = title_id WHERE branch = 7",
    "DELETE FROM title WHERE id > 14990",
    "INSERT INTO copy (title_id, branch) SELECT 1 + i % 100, 3 FROM generate_series(1, 3000) i",
]  # fmt: skip


@pytest.fixture(scope="module")
def plans() -> Iterator[list[tuple[str, Any]]]:
    """Each text with its document, run inside a transaction that is rolled back."""
    found: list[tuple[str, Any]] = []
    chance = random.Random(3)
    forced = "SET max_parallel_workers_per_gather = 2; SET parallel_setup_cost = 0; SET parallel_tuple_cost = 0; SET min_parallel_table_scan_size = 0"
    with running_postgres("-c max_parallel_workers=2") as server:
        for schema in SCHEMAS:
            server.execute(f"CREATE DATABASE {schema.name}")
            with psycopg.connect(
                host=server.info.host, port=server.info.port, user="postgres", dbname=schema.name, autocommit=True
            ) as connection:
                connection.execute(schema.setup.encode())
                connection.execute("ANALYZE")
                if schema.name == "lending":
                    connection.execute("CREATE INDEX ON copy (branch)")
                texts = [
                    drawn(one, connection, chance)
                    for one in schema.statements
                    if "$1" not in one
                    for _ in range(EACH if "{" in one else 1)
                ]
                texts += SPECIAL if schema.name == "lending" else []
                for number, text in enumerate(texts):
                    settings = forced if number % 2 else "SET work_mem = '256kB'; SET jit_above_cost = 5000"
                    connection.execute("BEGIN")
                    connection.execute(settings.replace("SET ", "SET LOCAL ").encode())
                    try:
                        (document,) = connection.execute(
                            b"EXPLAIN (ANALYZE, BUFFERS, FORMAT JSON) " + text.encode()
                        ).fetchone() or ([],)
                        found.append((text, document))
                    except psycopg.errors.ForeignKeyViolation:
                        pass  # a row that others refer to stays
                    connection.execute("ROLLBACK")
        yield found


def steps_of(node: dict[str, Any]) -> Iterator[dict[str, Any]]:
    yield node
    for one in node.get("Plans", []):
        yield from steps_of(one)


@pytest.mark.postgres
def test_accounts_of_real_plans_add_up(plans: list[tuple[str, Any]]) -> None:
    assert len(plans) >= 200
    seen: set[str] = set()
    for text, document in plans:
        plan = read_plan(json.dumps(document))
        top = document[0]
        own = sum(step.own_time_s or 0.0 for _, step in plan.root.walk())
        assert own == pytest.approx(plan.time_s, rel=0.01, abs=2e-6), text
        whole = (top["Planning Time"] + top["Execution Time"]) / 1000
        assert plan.total_s == pytest.approx(whole, rel=0.01, abs=1e-5), text
        assert sum(one.time_s for one in plan.accounts()) == pytest.approx(plan.total_s, rel=1e-9)
        nodes = list(steps_of(top["Plan"]))
        seen |= {node["Node Type"] for node in nodes} | {str(node.get("Parent Relationship")) for node in nodes}
        seen |= {"trigger"} if plan.triggers else set()
        seen |= {"spilled"} if any(step.spilled_bytes for _, step in plan.root.walk()) else set()
        seen |= {"never"} if any(step.never_run for _, step in plan.root.walk()) else set()
        seen |= {"compiled"} if plan.compiled_s else set()
        assert sum(1 for _ in plan.root.walk()) == len(nodes), "no step is lost or told twice"
        sheet = plan_sheet(plan)
        assert len(sheet.steps) == len(nodes) and sheet.total_s == plan.total_s
    wanted = {
        "Gather",
        "InitPlan",
        "SubPlan",
        "CTE Scan",
        "Recursive Union",
        "Append",
        "trigger",
        "spilled",
        "never",
        "ModifyTable",
        "compiled",
    }
    assert wanted <= seen, wanted - seen


def inner(plan: Plan, operation: str) -> Any:
    return next(step for _, step in plan.root.walk() if step.operation == operation)


@pytest.mark.postgres
def test_time_is_on_the_account_of_the_step_that_waits_for_it(plans: list[tuple[str, Any]]) -> None:
    by_text = {text: read_plan(json.dumps(document)) for text, document in plans}
    cte = by_text[SPECIAL[0]]
    reader = max((s for _, s in cte.root.walk() if s.operation == "cte scan"), key=lambda s: s.time_s or 0)
    (made,) = [step for step in reader.steps if step.result]
    assert made.result == "CTE busy" and (reader.own_time_s or 0) < (made.time_s or 0), (
        "the scan is not charged for the making"
    )
    asked = by_text[SPECIAL[1]]
    steps = [step for _, step in asked.root.walk()]
    once = [step for step in steps if step.result.startswith("InitPlan")]
    held = [(holder, step) for step in once for holder in steps if any(step is below for below in holder.steps)]
    assert any("$" in holder.conditions and (holder.time_s or 0) >= (step.time_s or 0) * 0.999 for holder, step in held)
    subplan = [s for _, s in by_text[SPECIAL[2]].root.walk() if s.loops > 20]
    assert subplan, "a sub-plan that is run many times has its loops"
    several = 0
    for text, document in plans:
        gathers = [n for n in steps_of(document[0]["Plan"]) if n["Node Type"] in ("Gather", "Gather Merge")]
        workers = gathers[0]["Workers Launched"] if len(gathers) == 1 and gathers[0]["Actual Loops"] == 1 else 0
        if workers and gathers[0]["Plans"][0]["Actual Loops"] == workers + 1:
            plan, several = read_plan(json.dumps(document)), several + 1
            below = inner(plan, "gather").steps[0]
            assert below.processes > 1 and below.summed_s > below.time_s * 1.2, text
            assert below.time_s <= (plan.time_s or 0) * 1.01
    assert several >= 10


def test_accounts_of_sqlite_plans_add_up() -> None:
    """SQLite tells no times: nothing is accounted, and nothing is invented."""
    with sqlite3.connect(":memory:") as connection:
        connection.executescript(
            "CREATE TABLE a (id INTEGER PRIMARY KEY, b INT); CREATE TABLE c (d INT); CREATE INDEX e ON c (d);"
        )
        for text in (
            "SELECT * FROM a",
            "SELECT * FROM a JOIN c ON c.d = a.b ORDER BY a.b",
            "SELECT (SELECT max(d) FROM c) FROM a",
        ):
            rows = connection.execute(f"EXPLAIN QUERY PLAN {text}").fetchall()
            document = [dict(zip(("id", "parent", "notused", "detail"), row, strict=True)) for row in rows]
            plan = read_plan(json.dumps(document))
            assert plan.total_s is None and plan.accounts() == []


def test_row_and_batch_steps_in_one_plan() -> None:
    """A step that works in batches says only its own time; the row step above it includes all below."""
    batch = {"operation": "scan", "words": "scan", "rows_expected": 1, "time_s": 0.3, "includes_below": False}
    join = {
        "operation": "hash join",
        "words": "join",
        "rows_expected": 1,
        "time_s": 0.2,
        "includes_below": False,
        "steps": [batch, batch],
    }
    root = {"operation": "sort", "words": "sort", "rows_expected": 1, "time_s": 1.0, "steps": [join]}
    plan = read_plan(json.dumps({"plan_key": "a", "root": root}))
    assert [step.own_time_s for _, step in plan.root.walk()] == pytest.approx([0.2, 0.2, 0.3, 0.3])
    alone = read_plan(json.dumps({"plan_key": "a", "root": join}))
    assert alone.time_s == pytest.approx(0.8) and [s.own_time_s for _, s in alone.root.walk()] == pytest.approx(
        [0.2, 0.3, 0.3]
    )
