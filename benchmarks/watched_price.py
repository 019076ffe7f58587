"""What recording costs a watched PostgreSQL, by its own counters: 300 sessions, 2,000 statements, 500 tables.

The server's own statistics tell how long this product's statements ran (``capture_s``); the share is of one core.
"""

from __future__ import annotations

import tempfile
import time
from contextlib import ExitStack
from pathlib import Path

import psycopg
from tests.postgres import SECRET, watched_postgres

from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.registration import Registration, register
from hardy_gauge.store.database import Store
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.models import Account

SESSIONS, STATEMENTS, TABLES, COLUMNS = 300, 2000, 500, 20
SETTLE_S, MEASURE_S = 75.0, 240.0
OURS = (
    """SELECT coalesce(sum(total_exec_time), 0) / 1000 FROM pg_stat_statements WHERE query LIKE '/* hardy-gauge */%'"""
)
BY_TEXT = """SELECT left(regexp_replace(query, '\\s+', ' ', 'g'), 90), calls, total_exec_time FROM pg_stat_statements
             WHERE query LIKE '/* hardy-gauge */%' ORDER BY 3 DESC LIMIT 8"""


def fill(owner: psycopg.Connection) -> None:
    """Tables with three indexes each, and as many statements as the server keeps."""
    columns = ", ".join(f"c{n} {('int', 'text', 'timestamptz', 'numeric')[n % 4]}" for n in range(COLUMNS))
    for n in range(TABLES):
        owner.execute(f"CREATE TABLE shelf_{n} (id serial PRIMARY KEY, {columns})")
        owner.execute(f"CREATE INDEX ON shelf_{n} (c0)")
        owner.execute(f"CREATE INDEX ON shelf_{n} (c2, c0)")
        owner.execute(f"INSERT INTO shelf_{n} (c0, c1) SELECT i, 'x' || i FROM generate_series(1, 200) i")
    owner.execute("ANALYZE")
    for n in range(STATEMENTS):  # one for each of four columns of each table
        owner.execute(f"SELECT count(c{n // TABLES}) FROM shelf_{n % TABLES} WHERE id = 1")


def share(owner: psycopg.Connection, folder: Path, address: str) -> tuple[float, list[tuple[str, int, float]]]:
    """Seconds of the server's work for us a second, after the first minute."""
    store = Store(folder / "hardy-gauge.db")
    with store.write() as session:
        session.add(
            Account(name="watch", user="gauge", secret=Keyring(folder).close(SECRET), groups=["reading"], changed_us=1)
        )
    (joined,) = register(store, [Registration(address, cluster="reading", account="watch")], user=OPERATOR)
    joined.probe.close()
    collector = Collector(store)
    collector.start()
    time.sleep(SETTLE_S)
    owner.execute("SELECT pg_stat_statements_reset()")
    began = time.monotonic()
    while time.monotonic() - began < MEASURE_S:
        for n in range(20):
            owner.execute(f"UPDATE shelf_{n} SET c1 = 'y' WHERE id = {n + 1}")
        time.sleep(1.0)
    row = owner.execute(OURS).fetchone()
    passed = time.monotonic() - began
    top = owner.execute(BY_TEXT).fetchall()
    collector.stop()
    store.close()
    return float(row[0] if row else 0) / passed, top


def measure() -> dict[str, float]:
    """Of a core of the watched server, in percent, and the queries that it goes to."""
    with (
        watched_postgres(options="-c max_connections=400") as (owner, address),
        ExitStack() as stack,
        tempfile.TemporaryDirectory() as folder,
    ):
        fill(owner)
        for _ in range(SESSIONS):
            stack.enter_context(psycopg.connect(owner.info.dsn, application_name="pool", autocommit=True))
        found, top = share(owner, Path(folder), address)
    for text, calls, milliseconds in top:
        print(f"  {milliseconds / MEASURE_S / 10:.3f}%  {calls:5d} calls  {text}")
    return {"of a core of the server, %": 100 * found}
