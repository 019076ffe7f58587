"""Causes made in a real PostgreSQL and named by the rules, on the right object; a server that is left alone asks for nothing.

The server runs as it does; the collector's clock is stepped, a second for each look at its sessions.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import psycopg
import pytest

from hardy_gauge.capture.collector import Collector, clock_us
from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.diagnose.worker import diagnose_server
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.database import Store
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched

pytestmark = pytest.mark.postgres
SECOND_US = 1_000_000
MINUTE_US = 60 * SECOND_US


class Looks:
    """Looks at a real server, and what is concluded from them."""

    def __init__(self, store: Store, collector: Collector) -> None:
        self.store, self.collector, self.now_us = store, collector, clock_us()
        (self.recorder,) = collector.recorders

    def minute(self) -> None:
        self.now_us += MINUTE_US
        self.recorder.look_again(self.now_us)
        assert self.recorder.error == "", self.recorder.error

    def seconds(self, count: int) -> None:
        for _ in range(count):
            time.sleep(0.1)
            self.now_us += SECOND_US
            self.recorder.tick(self.now_us)

    def findings(self) -> list[Finding]:
        self.collector.write()
        reader = Reader(self.store, lambda: self.now_us + SECOND_US)
        (server,) = servers_in(reader, "fleet")
        return [one for one, _ in diagnose_server(reader, server).findings]


@pytest.fixture
def looks(store: Store, collector: Collector) -> Looks:
    return Looks(store, collector)


def named(found: list[Finding], cause: str) -> list[Finding]:
    return [one for one in found if one.cause == cause]


@contextmanager
def working(dsn: str, job: Callable[[psycopg.Connection], object], sessions: int) -> Iterator[None]:
    """So many sessions that do a job again and again."""
    over = threading.Event()

    def run() -> None:
        with psycopg.connect(dsn, application_name="desk", autocommit=True) as session:
            while not over.is_set():
                try:
                    job(session)
                except psycopg.Error:
                    session.rollback()

    threads = [threading.Thread(target=run) for _ in range(sessions)]
    for thread in threads:
        thread.start()
    try:
        yield
    finally:
        over.set()
        for thread in threads:
            thread.join(30)


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


def test_a_server_that_is_left_alone_asks_for_nothing(looks: Looks) -> None:
    for _ in range(3):
        looks.minute()
        looks.seconds(5)
    assert [f.title for f in looks.findings() if f.grade in ("act", "plan")] == []
