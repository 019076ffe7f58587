"""Causes made in a real PostgreSQL and named by the rules, on the right object; a server that is left alone asks for nothing.

The server runs as it does; the collector's clock is stepped, a second for each look at its sessions.
"""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from contextlib import ExitStack

import psycopg
import pytest

from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.store.database import Store
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched
from tests.truth.real_server import Looks, working

pytestmark = pytest.mark.postgres


@pytest.fixture
def looks(store: Store, collector: Collector) -> Looks:
    return Looks(store, collector)


def named(found: list[Finding], cause: str) -> list[Finding]:
    return [one for one in found if one.cause == cause]


def test_a_session_that_idles_on_rows_others_want(looks: Looks, watched: tuple[psycopg.Connection, str]) -> None:
    owner = watched[0]
    dsn = owner.info.dsn
    looks.minute()
    with psycopg.connect(dsn, application_name="returns") as idle:
        idle.execute("UPDATE loan SET note = note WHERE id = 7")
        with working(
            dsn, lambda s: s.execute("SET lock_timeout = '400ms'; UPDATE loan SET note = note WHERE id = 7"), 3
        ):
            time.sleep(0.5)
            looks.seconds(40)
        idle.rollback()
    looks.minute()
    found = looks.findings()
    assert named(found, "idle_transaction"), [(f.cause, f.title) for f in found]
    first = named(found, "idle_transaction")[0]
    assert first.grade == "act" and "returns" in first.title and "UPDATE loan" in first.subject.text


def test_what_is_wrong_with_tables_indexes_and_sequences(looks: Looks, watched: tuple[psycopg.Connection, str]) -> None:
    owner = watched[0]
    owner.execute("CREATE TABLE visit (id serial PRIMARY KEY, patron int, branch int, note text)")
    owner.execute(
        "INSERT INTO visit (patron, branch, note) SELECT i % 900, i % 20, repeat('x', 90) FROM generate_series(1, 600000) i"
    )
    owner.execute("CREATE INDEX visit_patron ON visit (patron)")
    owner.execute("CREATE INDEX visit_patron_branch ON visit (patron, branch)")
    owner.execute("ALTER TABLE visit SET (autovacuum_enabled = false)")
    owner.execute("SELECT setval('visit_id_seq', 2147483647 - 3000)")
    owner.execute("ANALYZE visit")
    try:
        for _ in range(3):
            looks.minute()
            owner.execute("INSERT INTO visit (patron, branch) SELECT 1, 1 FROM generate_series(1, 100)")
            time.sleep(1.1)
        looks.minute()
        found = looks.findings()
        seen = [(f.cause, f.subject.name, f.grade) for f in found]
        assert ("duplicate_index", "visit_patron", "note") in seen, seen
        assert ("upkeep_off", "visit", "plan") in seen, seen
        assert any(
            cause == "sequence_running_out" and name.endswith("visit_id_seq") and grade == "act"
            for cause, name, grade in seen
        ), seen
    finally:
        owner.execute("DROP TABLE visit")


def test_what_is_wrong_with_the_work(looks: Looks, watched: tuple[psycopg.Connection, str]) -> None:
    """Nothing is known of other days: what stands is told by itself."""
    owner = watched[0]
    dsn = owner.info.dsn
    owner.execute("CREATE TABLE page (id int PRIMARY KEY, branch int, body text, more text)")
    owner.execute(
        "INSERT INTO page SELECT i, i % 200, repeat('b', 900), repeat('m', 900) FROM generate_series(1, 12000) i"
    )
    owner.execute("CREATE INDEX page_branch ON page (branch)")
    owner.execute("CREATE TABLE visited (patron int, at int, note text)")
    owner.execute("INSERT INTO visited SELECT i % 9000, i, repeat('n', 60) FROM generate_series(1, 200000) i")
    owner.execute("ANALYZE page, visited")
    jobs: dict[str, Callable[[psycopg.Connection], object]] = {
        "missing_index": lambda s: [
            s.execute("SELECT count(note) FROM visited WHERE patron = %s", [7]),
            time.sleep(0.1),
        ],
        "wide_select": lambda s: [s.execute("SELECT * FROM page WHERE branch = %s", [n]).fetchall() for n in range(40)],
        "sort_spills": lambda s: [
            s.execute("SET work_mem = '64kB'; SELECT note FROM visited ORDER BY note, at DESC"),
            time.sleep(3.0),
        ],
        "failing_statement": lambda s: s.execute("SELECT 10 / (id - 3) FROM loan WHERE id = 3"),
    }
    looks.minute()
    threads = [working(dsn, job, 6 if cause == "wide_select" else 1) for cause, job in jobs.items()]
    with ExitStack() as all_of_them:
        for one in threads:
            all_of_them.enter_context(one)
        for turn in range(5):  # beside other work some of them get less of the processor
            looks.seconds(30)
            looks.minute()
            if turn and {f.cause for f in looks.findings()} >= {*jobs}:
                break
    found = looks.findings()
    said = [(f.cause, f.grade, (f.subject.text or f.subject.name)[:60]) for f in found]
    assert any(cause == "missing_index" and "visited WHERE patron" in text for cause, _, text in said), said
    assert any(cause == "wide_select" and "page WHERE branch" in text for cause, _, text in said), said
    assert any(cause == "sort_spills" and "visited ORDER BY" in text for cause, _, text in said), said
    assert any(cause == "failing_statement" and "loan WHERE id" in text for cause, _, text in said), said
    owner.execute("DROP TABLE page, visited")


def test_calls_that_wait_for_each_other(looks: Looks, watched: tuple[psycopg.Connection, str]) -> None:
    owner = watched[0]
    dsn = owner.info.dsn
    owner.execute("CREATE TABLE counter (id int PRIMARY KEY, n int)")
    owner.execute("INSERT INTO counter SELECT i, 0 FROM generate_series(1, 10) i")

    def hot(session: psycopg.Connection) -> None:
        with session.transaction():
            session.execute("UPDATE counter SET n = n + 1 WHERE id = 1")
            session.execute("SELECT pg_sleep(0.02)")

    def crossed(session: psycopg.Connection) -> None:
        first, second = random.sample([5, 6], 2)
        with session.transaction():
            session.execute("UPDATE counter SET n = n - 1 WHERE id = %s", [first])
            session.execute("SELECT pg_sleep(0.05)")
            session.execute("UPDATE counter SET n = n - 1 WHERE id = %s", [second])

    looks.minute()
    with working(dsn, hot, 5), working(dsn, crossed, 4):
        looks.seconds(60)
    looks.minute()
    found = looks.findings()
    said = [(f.cause, f.grade, f.root, (f.subject.text or f.subject.name)[:60]) for f in found]
    assert any(cause == "hot_row" and "SET n = n +" in text for cause, _, _, text in said), said
    assert any(cause == "deadlocks" and "SET n = n -" in text for cause, _, _, text in said), said
    owner.execute("DROP TABLE counter")


def test_many_small_calls_and_a_flood_of_sessions(looks: Looks, watched: tuple[psycopg.Connection, str]) -> None:
    owner = watched[0]
    dsn = owner.info.dsn

    def by_key(session: psycopg.Connection) -> None:
        # sent without waiting for each answer: a client in Python would be busy itself, and the server seldom seen at work
        with session.pipeline():
            for n in range(200):
                session.execute("SELECT note FROM loan WHERE id = %s", [n])

    looks.minute()
    with ExitStack() as open_ones:
        for _ in range(90):
            open_ones.enter_context(psycopg.connect(dsn, application_name="pool"))
        with working(dsn, by_key, 3):
            looks.seconds(240, each_s=0.025)
        looks.minute()
        found = looks.findings()
    said = [(f.cause, f.grade, (f.subject.text or f.subject.name)[:60]) for f in found]
    assert any(cause == "session_flood" for cause, _, _ in said), said
    assert any(cause == "many_small_calls" and "loan WHERE id" in text for cause, _, text in said), said


def test_upkeep_that_did_not_come(looks: Looks, watched: tuple[psycopg.Connection, str]) -> None:
    owner = watched[0]
    owner.execute("CREATE TABLE shelf (id int PRIMARY KEY, place int, note text) WITH (autovacuum_enabled = false)")
    owner.execute("INSERT INTO shelf SELECT i, i % 50, repeat('s', 80) FROM generate_series(1, 100000) i")
    owner.execute("ANALYZE shelf")
    looks.minute()
    owner.execute("CREATE INDEX shelf_place ON shelf (place)")
    owner.execute("UPDATE shelf SET note = note || 'x'")
    owner.execute("UPDATE shelf SET note = note || 'y', place = place + 1")
    owner.execute("UPDATE shelf SET note = note || 'z', place = place + 1")
    with working(
        owner.info.dsn, lambda s: [s.execute("SELECT note FROM shelf WHERE id = %s", [n]) for n in range(99)], 1
    ):
        for _ in range(7):  # the collector's minutes
            time.sleep(1.1)
            looks.minute()
    found = looks.findings()
    said = [(f.cause, f.grade, f.root, f.subject.name) for f in found]
    assert ("upkeep_off", "plan", "", "shelf") in said, said
    assert any((cause, root, name) == ("bloat", "upkeep_off", "shelf") for cause, _, root, name in said), said
    assert any(cause == "stale_statistics" and name == "shelf" for cause, _, _, name in said), said
    assert any(cause == "unused_index" and name == "shelf_place" for cause, _, _, name in said), said
    owner.execute("DROP TABLE shelf")


def test_a_quiet_half_hour_asks_for_nothing(looks: Looks, watched: tuple[psycopg.Connection, str]) -> None:
    """Readers and writers of a well kept table, for thirty of its minutes; nothing is said at any of three moments."""
    owner = watched[0]
    for job in ("VACUUM ANALYZE loan", "CHECKPOINT"):
        owner.execute(job)
    chance = random.Random(5)

    def desk(session: psycopg.Connection) -> None:
        number = chance.randint(1, 20_000)
        session.execute("SELECT note FROM loan WHERE id = %s", [number])
        session.execute("UPDATE loan SET note = 'seen' WHERE id = %s", [number])
        time.sleep(0.05)

    with working(owner.info.dsn, desk, 2):
        for minute in range(30):
            looks.minute()
            looks.seconds(20, each_s=0.02)
            if minute % 10 == 9:
                assert [(f.cause, f.title) for f in looks.findings() if f.grade in ("act", "plan")] == [], minute
