"""Who waits for whom on a real PostgreSQL: all blockers, and holders that do nothing, as the server itself knows them."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import suppress

import psycopg
import pytest

from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.activity.waiting import IDLE, WORKING
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.holdups import Holdup, holdups_of
from hardy_gauge.queries.oldest_transaction import oldest_transaction
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import stored
from tests.capture.test_postgresql import watched as watched
from tests.patience import PATIENT_S

pytestmark = pytest.mark.postgres
SECOND_US = 1_000_000
LOOKS = 6


class Waiter:
    """A session that runs statements in one transaction and waits in the last."""

    def __init__(self, dsn: str, name: str, *texts: str) -> None:
        self.connection = psycopg.connect(dsn, application_name=name)
        self.texts = texts
        self.thread = threading.Thread(target=self._run)
        self.thread.start()

    def _run(self) -> None:
        with suppress(psycopg.Error):
            for text in self.texts:
                self.connection.execute(text)

    def close(self) -> None:
        self.connection.cancel_safe()
        self.thread.join(timeout=PATIENT_S)
        self.connection.close()


@pytest.fixture
def desk(watched: tuple[psycopg.Connection, str]) -> Iterator[psycopg.Connection]:
    """A session that has changed a row and does nothing."""
    with psycopg.connect(watched[0].info.dsn, application_name="night desk") as made:
        made.execute("UPDATE loan SET note = 'held' WHERE id = 7")
        yield made
        made.rollback()


def looked(store: Store, collector: Collector, count: int = LOOKS) -> tuple[int, Reader]:
    """Look at the sessions once for each of the next seconds, and store what was seen."""
    recorder, now = collector.recorders[0], clock_us()
    for n in range(count):
        recorder.tick(now + n * SECOND_US)
        assert recorder.error == "", recorder.error
    collector.write()
    return now, Reader(store, lambda: now + count * SECOND_US)


def held(reader: Reader, since_us: int) -> list[Holdup]:
    (owner,) = servers_in(reader, "fleet")
    return holdups_of(reader, owner, Span(since_us - 2 * SECOND_US, since_us + 60 * SECOND_US))


def test_a_holder_that_does_nothing_and_its_queue(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str], desk: psycopg.Connection
) -> None:
    owner = watched[0]
    dsn = owner.info.dsn
    waiters = [Waiter(dsn, f"desk {n}", f"UPDATE loan SET note = 'w{n}' WHERE id = 7") for n in range(3)]
    try:
        time.sleep(1.5)
        truth = dict(owner.execute("SELECT pid, pg_blocking_pids(pid) FROM pg_stat_activity WHERE wait_event_type = 'Lock'").fetchall())  # fmt: skip
        now, reader = looked(store, collector)
    finally:
        for waiter in waiters:
            waiter.close()
    samples, holders = stored(store, "sample"), stored(store, "holder")
    assert len(truth) == 3
    waiting = samples.filter(samples["blockers"].is_not_null())
    looks = waiting.group_by("at_us").agg("session", "blockers")
    seen = [dict(zip(row["session"], map(sorted, row["blockers"]), strict=True)) for row in looks.iter_rows(named=True)]
    assert seen == [{pid: sorted(blockers) for pid, blockers in truth.items()}] * LOOKS, "all blockers, at every look"
    assert any(len(blockers) > 1 for blockers in seen[0].values()), "some wait for two"
    mine = holders.filter(holders["session"] == desk.info.backend_pid)
    assert len(mine) == LOOKS and set(mine["service"]) == {"night desk"} and set(mine["client"]) == {"local"}
    assert ((mine["at_us"] - mine["idle_since_us"]) > 0.5e6).all()
    (root,) = held(reader, now)
    assert (root.doing, root.service, root.session) == (IDLE, "night desk", desk.info.backend_pid)
    assert root.text == "UPDATE loan SET note = $1 WHERE id = $2", "its last statement, without its literals"
    assert (root.waited_s, root.most_waiting) == (3.0 * LOOKS, 3) and root.depth >= 2
    assert "does nothing in an open transaction" in root.words


def test_a_root_that_works(store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]) -> None:
    dsn = watched[0].info.dsn
    work = Waiter(dsn, "reindexer", "UPDATE loan SET note = 'x' WHERE id = 9", "SELECT pg_sleep(60)")
    time.sleep(0.5)
    waiter = Waiter(dsn, "desk", "UPDATE loan SET note = 'y' WHERE id = 9")
    try:
        time.sleep(0.5)
        now, reader = looked(store, collector, 3)
    finally:
        waiter.close()
        work.close()
    (root,) = held(reader, now)
    assert (root.doing, root.service, root.waited_s, root.depth) == (WORKING, "reindexer", 3.0, 1)
    assert "pg_sleep" in root.text


def test_between_two_statements_nobody_is_a_holder(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    with psycopg.connect(watched[0].info.dsn, application_name="quick") as quick:
        quick.execute("SELECT 1")
        recorder, now = collector.recorders[0], clock_us()
        recorder.tick(now)
        assert [one for _, _, one in recorder.batch.holders if one.service == "quick"] == []
        time.sleep(1.2)
        recorder.tick(now + SECOND_US)
        assert [one.service for _, _, one in recorder.batch.holders if one.service == "quick"] == ["quick"]


def test_the_oldest_transaction_and_whose_it_is(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str], desk: psycopg.Connection
) -> None:
    """Looked at a minute and more after it was opened: the one that does nothing, until one that works is older."""
    time.sleep(1.2)  # one that idles for less than a second does nothing yet
    recorder, now = collector.recorders[0], clock_us()
    recorder.tick(now + 70 * SECOND_US)
    collector.write()
    reader = Reader(store, lambda: now + 200 * SECOND_US)
    (owner,) = servers_in(reader, "fleet")
    span = Span(now, now + 200 * SECOND_US)
    found = oldest_transaction(reader, owner, span)
    assert found is not None and (found.session, found.service) == (desk.info.backend_pid, "night desk")
    assert 70 <= found.age_s < 80 and "did nothing" in found.words and "UPDATE loan" in found.text
    worker = Waiter(watched[0].info.dsn, "counting", "SELECT pg_sleep(3)")
    time.sleep(0.3)
    recorder.tick(now + 160 * SECOND_US)
    collector.write()
    desk.rollback()
    worker.close()
    with store.read() as session:
        seen = segments.read(session, [owner.id], "sample", span.since_us, span.until_us)
    assert seen.filter(seen["service"] == "counting")["transaction_began_us"].drop_nulls().len() == 1
