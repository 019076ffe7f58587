"""What others waited on a real PostgreSQL, against the server's own log (log_lock_waits) and the clock of whoever waited; and ending
the session that holds them.
"""

from __future__ import annotations

import re
import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack

import psycopg
import pytest
from sqlalchemy import select

from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.session_end import end_session
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import InvalidInput, NotFound, Unsupported
from hardy_gauge.queries.holdup_sheet import Asked, holdup_sheet
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Change, Server
from tests.capture.test_postgresql import clock_us
from tests.capture.test_postgresql import collector as collector
from tests.conftest import wait_until
from tests.postgres import watched_postgres

pytestmark = pytest.mark.postgres
HELD_S = 40
ACQUIRED = re.compile(r"acquired \w+ on .*? after ([\d.]+) ms")


@pytest.fixture(scope="module")
def watched() -> Iterator[tuple[psycopg.Connection, str]]:
    with watched_postgres(options="-c log_lock_waits=on -c deadlock_timeout=100ms") as made:
        yield made


def server_of(store: Store) -> Server:
    with store.read() as session:
        server = session.scalars(select(Server)).one()
        assert server.cluster.name
        return server


def test_time_waited_is_that_of_the_log_and_of_those_who_waited(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    """One holds a row and does nothing; three wait for it, one more for a row that the first of them holds."""
    owner, recorder = watched[0], collector.recorders[0]
    waited: list[float] = []

    def wants(desk: psycopg.Connection, row: int) -> None:
        began = time.monotonic()
        desk.execute("UPDATE loan SET note = 'wanted' WHERE id = %s", [row])
        waited.append(time.monotonic() - began)
        desk.commit()

    with ExitStack() as opened:
        holder, *desks = (
            opened.enter_context(psycopg.connect(owner.info.dsn, application_name=name))
            for name in ("night desk", "loans", "loans", "returns", "returns")
        )
        holder.execute("UPDATE loan SET note = 'held' WHERE id = 11")
        desks[0].execute("UPDATE loan SET note = 'first' WHERE id = 21")
        recorder.tick(clock_us())
        threads = [
            threading.Thread(target=wants, args=(desk, row)) for desk, row in zip(desks, (11, 11, 11, 21), strict=True)
        ]
        began = time.monotonic()
        for thread in threads:
            thread.start()
        while time.monotonic() - began < HELD_S:
            time.sleep(max(0.0, 1.0 - (time.monotonic() - began) % 1.0))
            recorder.tick(clock_us())
        holder.commit()
        for thread in threads:
            thread.join()
    collector.write()
    now = clock_us()
    found = holdup_sheet(Reader(store, lambda: now), Window(Span(now - 5 * MINUTE_US, now)), "fleet", Asked())
    (path,) = owner.execute("SELECT pg_current_logfile('csvlog')").fetchone() or ("",)
    (log,) = owner.execute("SELECT pg_read_file(%s)", [path]).fetchone() or ("",)
    logged = sum(float(ms) for ms in ACQUIRED.findall(log)) / 1000
    assert logged == pytest.approx(sum(waited), rel=0.01) and len(waited) == 4
    assert found.waited_s == pytest.approx(logged, rel=0.05)
    tree = found.trees[0]
    assert (tree.service, tree.doing, tree.object, tree.waiters) == ("night desk", "idle in a transaction", "loan", 4)
    assert tree.depth >= 2, "who waits for a row stands behind those who came before"


def test_a_session_is_ended_with_a_reason_and_only_where_that_is_granted(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    owner, recorder = watched[0], collector.recorders[0]
    with psycopg.connect(owner.info.dsn, application_name="night desk") as holder:
        holder.execute("UPDATE loan SET note = 'held' WHERE id = 11")
        pid, user = holder.info.backend_pid, holder.info.user
        with pytest.raises(Unsupported, match="may not"):
            end_session(store, server_of(store), pid, user, "holds the desk up", "anna", clock_us())
        owner.execute("GRANT pg_signal_backend TO gauge")
        recorder.probe.close()
        with store.write() as session:  # as the next look at who it is finds it
            one = session.scalars(select(Server)).one()
            one.abilities = [*one.abilities, "end_session"]
        server = server_of(store)
        with pytest.raises(InvalidInput, match="reason"):
            end_session(store, server, pid, user, "  ", "anna", clock_us())
        with pytest.raises(NotFound):
            end_session(store, server, pid, "somebody else", "holds the desk up", "anna", clock_us())
        with pytest.raises(NotFound):
            end_session(store, server, 1, user, "no session of anybody", "anna", clock_us())
        assert holder.execute("SELECT 1").fetchone() == (1,), "it was left alone so far"
        # the account is of a superuser's session no master, whatever was granted
        owner.execute("CREATE ROLE clerk LOGIN")
        owner.execute("GRANT ALL ON loan TO clerk")
    with psycopg.connect(owner.info.dsn, user="clerk", application_name="night desk") as holder:
        holder.execute("UPDATE loan SET note = 'held' WHERE id = 12")
        pid = holder.info.backend_pid
        end_session(store, server, pid, "clerk", "holds the desk up", "anna", clock_us())
        wait_until(
            lambda: owner.execute("SELECT count(*) FROM pg_stat_activity WHERE pid = %s", [pid]).fetchone() == (0,)
        )
        with pytest.raises(psycopg.OperationalError):
            holder.execute("SELECT 1")
        holder.close()
    with store.read() as session:
        noted = session.scalars(select(Change).where(Change.kind == "note")).one()
    assert noted.title == f"session {pid} of clerk was ended: holds the desk up" and noted.who == "anna"


def test_a_long_call_says_how_far_it_is(collector: Collector, watched: tuple[psycopg.Connection, str]) -> None:
    """An index is built slowly, since a function that sleeps is computed for each row."""
    owner, recorder = watched[0], collector.recorders[0]
    owner.execute("CREATE TABLE shelf AS SELECT i FROM generate_series(1, 120) i")
    owner.execute(
        "CREATE FUNCTION slow(i int) RETURNS int IMMUTABLE LANGUAGE plpgsql AS $$ BEGIN PERFORM pg_sleep(0.1); RETURN i; END $$"
    )
    with psycopg.connect(owner.info.dsn, application_name="upkeep", autocommit=True) as desk:
        thread = threading.Thread(target=desk.execute, args=("CREATE INDEX shelf_slow ON shelf (slow(i))",))
        thread.start()
        time.sleep(6.0)
        session = next(one for one in recorder.probe.sessions().sessions if one.service == "upkeep")
        thread.join()
    assert session.stage.startswith("index build, building index"), session
