"""High 8: a user's own figures only read, whatever their query tries, on a real PostgreSQL."""

from __future__ import annotations

import time
from collections.abc import Iterator

import psycopg
import pytest

from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.outbound import Credential
from hardy_gauge.probes.sqlpack.pack import FigureQuery
from tests.postgres import SECRET, watched_postgres

pytestmark = pytest.mark.postgres


@pytest.fixture(scope="module")
def watched() -> Iterator[tuple[psycopg.Connection, str]]:
    with watched_postgres() as made:
        made[0].execute(
            "CREATE TABLE trap (n int); GRANT ALL ON trap TO gauge; CREATE SEQUENCE s; GRANT ALL ON s TO gauge"
        )
        yield made


def asked(address: str, sql: str, user: str = "gauge") -> tuple[dict[str, float], str]:
    """The figure's values, and why it is not reported."""
    probe = open_probe(address, Credential(user, SECRET), [FigureQuery(name="own", sql=sql)])
    try:
        found = {k: v for k, v in probe.counters().levels.items() if k.startswith("own.")}
        why = next(r.why for r in probe.readiness().reports if r.what.startswith("your figure"))
    finally:
        probe.close()
    return found, why


WRITES = [
    "WITH w AS (INSERT INTO trap VALUES (1) RETURNING n) SELECT n AS value FROM w",
    "SELECT set_config('transaction_read_only', 'off', true) AS label, 1 AS value",
    "SELECT 1 AS value; INSERT INTO trap VALUES (1)",
    "SELECT 1 AS value; COMMIT; INSERT INTO trap VALUES (1); BEGIN",
    "SELECT 1 AS value) AS own) AS rows; COMMIT; INSERT INTO trap VALUES (1); --",
    "COMMIT", "INSERT INTO trap VALUES (1)", "SET SESSION CHARACTERISTICS AS TRANSACTION READ WRITE",
    "SELECT nextval('s') AS value", "SELECT 1 AS value FROM trap FOR UPDATE",
    "DO $$ BEGIN INSERT INTO trap VALUES (1); END $$", "COPY trap TO PROGRAM 'true'",
]  # fmt: skip


@pytest.mark.parametrize("sql", WRITES)
def test_it_cannot_write(watched: tuple[psycopg.Connection, str], sql: str) -> None:
    found, why = asked(watched[1], sql)
    assert why and not found
    assert watched[0].execute("SELECT count(*) FROM trap").fetchone() == (0,)
    assert watched[0].execute("SELECT is_called FROM s").fetchone() == (False,)


def test_its_time_and_its_rows_are_limited(watched: tuple[psycopg.Connection, str]) -> None:
    began = time.monotonic()
    found, why = asked(watched[1], "SELECT set_config('statement_timeout', '0', true), pg_sleep(60), 1 AS value")
    assert not found and "timeout" in why and time.monotonic() - began < 15
    found, why = asked(
        watched[1], "SELECT i AS value, 'l' || i AS label FROM (SELECT generate_series(1, 1000000000) i) x"
    )
    assert len(found) == 200 and not why
    _, why = asked(watched[1], "SELECT repeat('9', 50000000) AS value, repeat('l', 50000000) AS label")
    assert len(why) < 500


def test_it_leaves_nothing_behind(watched: tuple[psycopg.Connection, str]) -> None:
    asked(watched[1], "SELECT lo_create(0) AS value")
    assert watched[0].execute("SELECT count(*) FROM pg_largeobject_metadata").fetchone() == (0,)
    sql = "SELECT count(*) AS value FROM (SELECT set_config('lock_timeout', '7s', false), pg_advisory_lock(42)) x"
    probe = open_probe(watched[1], Credential("gauge", SECRET), [FigureQuery(name="own", sql=sql)])
    assert probe.counters().levels["own.own"] == 1
    assert watched[0].execute("SELECT count(*) FROM pg_locks WHERE locktype = 'advisory'").fetchone() == (0,)
    again = "SELECT CASE current_setting('lock_timeout') WHEN '100ms' THEN 1 ELSE 0 END AS value"
    probe.figures = [FigureQuery(name="own", sql=again)]  # type: ignore[attr-defined]
    assert probe.counters().levels["own.own"] == 1
    probe.close()


def test_an_account_that_may_do_more_is_refused(watched: tuple[psycopg.Connection, str]) -> None:
    found, why = asked(watched[1], "SELECT 1 AS value", "postgres")
    assert not found and "more than read" in why
    assert asked(watched[1], "SELECT 1.5 AS value -- a remark")[0] == {"own.own": 1.5}
