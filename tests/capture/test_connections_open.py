"""Who is connected to a real PostgreSQL, as the server itself counts."""

from __future__ import annotations

import time

import psycopg
import pytest

from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.connection_groups import connected_groups
from hardy_gauge.queries.levels import levels_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.database import Store
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched

pytestmark = pytest.mark.postgres
MINUTE_US = 60_000_000


def test_open_sessions_by_service_and_state(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    dsn = watched[0].info.dsn
    recorder, now = collector.recorders[0], clock_us()
    recorder.tick(now)
    pool = [psycopg.connect(dsn, application_name="returns", autocommit=True) for _ in range(6)]
    pool[0].execute("BEGIN")
    for one in pool[1:]:
        one.execute("SELECT 1")
    recorder.look_again(now + MINUTE_US)
    for one in pool[3:]:
        one.close()
    time.sleep(0.7)  # figures of less than half a second are none
    recorder.look_again(now + 2 * MINUTE_US)
    assert recorder.error == "", recorder.error
    collector.write()
    for one in pool:
        one.close()
    reader = Reader(store, lambda: now + 3 * MINUTE_US)
    (owner,) = servers_in(reader, "fleet")
    span = Span(now - MINUTE_US, now + 3 * MINUTE_US)
    (mine,) = [group for group in connected_groups(reader, owner, span) if group.service == "returns"]
    assert (mine.user, mine.client, mine.open, mine.idle, mine.most) == ("postgres", "local", 3, 2, 6)
    levels = {level.name: level.value for level in levels_of(reader, owner.id, span)}
    assert levels["sessions_limit"] == 97, "max_connections less those that are reserved, as a new server has them"
