"""Service, route and trace of a call on a real PostgreSQL, from the comment of its text: as dimensions, not in the fingerprint."""

from __future__ import annotations

import time

import psycopg
import pytest

from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.ledger import ledger
from hardy_gauge.queries.ledger_question import LedgerQuestion
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.database import Store
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import looked_at, stored
from tests.capture.test_postgresql import watched as watched

pytestmark = pytest.mark.postgres
SECOND_US = 1_000_000
TRACE = "5bd66ef5095369c7b0d1f8f4bd33716a"


def text(route: str) -> str:
    said = f"service='loans-api',route='%2F{route}',traceparent='00-{TRACE}-c532cb4098ac3dd2-01'"
    return f"SELECT pg_sleep(1.2) AS tagged /*{said}*/"


def test_dimensions_from_comments(store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]) -> None:
    owner, recorder, now = watched[0], collector.recorders[0], clock_us()
    recorder.tick(now)
    for place, route in enumerate(("loans", "holds"), 1):
        looked_at(owner, recorder, "pool", text(route), now + place * SECOND_US)
    time.sleep(0.4)
    recorder.look_again(now + 61 * SECOND_US)
    collector.write()
    samples = stored(store, "sample")
    mine = samples.filter(samples["route"].is_not_null()).sort("at_us")
    assert mine["route"].to_list() == ["/loans", "/holds"] and set(mine["service"]) == {"loans-api"}
    assert mine["statement"].n_unique() == 1, "one statement, whatever its comment says"
    executions = stored(store, "execution")
    slow = executions.filter(executions["trace"] == TRACE)
    assert sorted(slow["route"]) == ["/holds", "/loans"] and set(slow["service"]) == {"loans-api"}
    reader = Reader(store, lambda: now + 62 * SECOND_US)
    focus = Span(now - SECOND_US, now + 30 * SECOND_US)
    found = ledger(
        reader, Window(focus), "fleet", LedgerQuestion("route", "service", filters={"service": ["loans-api"]})
    )
    assert {entry.key for entry in found.entries} == {"/loans", "/holds"}
