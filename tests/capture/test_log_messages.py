"""What the log of a real PostgreSQL says, by shape: as often as its own file does, without a value of anybody."""

from __future__ import annotations

import csv
import subprocess
import threading
import time
from contextlib import suppress
from pathlib import Path

import psycopg
import pytest

from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.log_messages import MessageRow, messages_in
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.database import Store
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched

pytestmark = pytest.mark.postgres
MINUTE_US = 60_000_000


def said(store: Store, collector: Collector) -> list[MessageRow]:
    """After a minute's round, the messages of the last minutes."""
    recorder, now = collector.recorders[0], clock_us()
    recorder.look_again(now)
    assert recorder.error == "", recorder.error
    collector.write()
    reader = Reader(store, lambda: now)
    return messages_in(reader, servers_in(reader, "fleet"), Span(now - 10 * MINUTE_US, now + MINUTE_US))


def logged(owner: psycopg.Connection, severity: str) -> int:
    """Lines of a severity in the server's own log files."""
    (folder,) = owner.execute(
        "SELECT current_setting('data_directory') || '/' || current_setting('log_directory')"
    ).fetchone() or ("",)
    files = subprocess.run(
        ["runuser", "-u", "postgres", "--", "sh", "-c", f"cat {folder}/*.csv"], capture_output=True, text=True, cwd="/"
    )
    return sum(row[11] == severity for row in csv.reader(files.stdout.splitlines(keepends=True)) if len(row) > 20)


def deadlock(dsn: str) -> None:
    """Two sessions that each want what the other has."""
    sessions = [psycopg.connect(dsn, application_name=f"desk {n}") for n in range(2)]
    for n, session in enumerate(sessions):
        session.execute("UPDATE loan SET note = 'mine' WHERE id = %s", [n + 1])

    def other(n: int) -> None:
        with suppress(psycopg.errors.DeadlockDetected):
            sessions[n].execute("UPDATE loan SET note = 'planted-word' WHERE id = %s", [2 - n])

    threads = [threading.Thread(target=other, args=(n,)) for n in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    for session in sessions:
        session.rollback()
        session.close()


def test_errors_by_shape_and_both_sides_of_a_deadlock(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str], tmp_path: Path
) -> None:
    owner = watched[0]
    collector.recorders[0].tick(clock_us())
    before = logged(owner, "ERROR")
    with psycopg.connect(owner.info.dsn, application_name="returns", autocommit=True) as desk:
        for number in range(5):
            with suppress(psycopg.errors.UniqueViolation):
                desk.execute("INSERT INTO loan (id, note) VALUES (%s, 'planted-word')", [number + 1])
        for word in ("planted-word", "another-planted-word"):
            with suppress(psycopg.errors.InvalidTextRepresentation):
                desk.execute(f"SELECT count(*) FROM loan WHERE patron = '{word}'")
    deadlock(owner.info.dsn)
    time.sleep(0.3)
    rows = [row for row in said(store, collector) if row.severity == "error"]
    assert sum(row.count for row in rows) == logged(owner, "ERROR") - before == 8, rows
    found = {row.code: row for row in rows}
    twice = found["23505"]
    assert (twice.shape, twice.count) == ('duplicate key value violates unique constraint "loan_pkey"', 5)
    assert twice.services == ["returns"] and twice.text.startswith("INSERT INTO loan")
    assert (found["22P02"].shape, found["22P02"].count) == ("invalid input syntax for type integer: …", 2)
    dead = found["40P01"]
    assert dead.shape == "deadlock detected" and dead.services and dead.services[0].startswith("desk")
    assert dead.detail.count("waits for") == 2 and dead.detail.count("UPDATE loan SET note = $1 WHERE id = $2") == 2
    store.close()
    for file in store.path.parent.glob(f"{store.path.name}*"):
        assert b"planted-word" not in file.read_bytes(), "no value of anybody is in what is stored"
