"""Figures of the user's own on a real PostgreSQL: tried, kept on a scope or not at all, recorded with title and unit, dropped."""

from __future__ import annotations

import time
from collections.abc import Iterator

import psycopg
import pytest
from sqlalchemy import select

from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.own_figures import check_figure, check_on, drop_figure, keep_figure
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.probes.sqlpack.pack import FigureQuery
from hardy_gauge.queries.evidence_sources import watched as watched_of
from hardy_gauge.queries.own_figures import own_figures
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.server_figures import figures_of
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server
from tests.capture.test_postgresql import clock_us
from tests.capture.test_postgresql import collector as collector
from tests.postgres import watched_postgres

pytestmark = pytest.mark.postgres
BY_PATRON = FigureQuery(
    name="open_loans", title="Loans that are open", unit="rows", most=9_999,
    sql="SELECT 'p' || patron % 2 AS label, count(*) AS value FROM loan GROUP BY 1",
)  # fmt: skip


@pytest.fixture(scope="module")
def watched() -> Iterator[tuple[psycopg.Connection, str]]:
    with watched_postgres() as made:
        yield made


def server_of(store: Store) -> Server:
    with store.read() as session:
        server = session.scalars(select(Server)).one()
        assert server.cluster.name
        return server


def test_it_is_tried_and_kept_and_recorded(store: Store, collector: Collector) -> None:
    server = server_of(store)
    found = check_figure(store, server, BY_PATRON)
    assert (found.rows, found.problem, [(v.label, v.value) for v in found.values]) == (
        2,
        "",
        [("p0", 10_000.0), ("p1", 10_000.0)],
    )
    assert 0 < found.took_s < 1
    assert [one.values for one in check_on(store, [server, server], BY_PATRON)] == [found.values] * 2
    with store.write() as session:
        keep_figure(session, [server], BY_PATRON, [found])
        keep_figure(session, [server], BY_PATRON, [found])  # again is in place of itself
    fresh = Collector(store)
    recorder, now = fresh.recorders[0], clock_us()
    for minute in range(3):
        recorder.tick(now + minute * MINUTE_US)
        time.sleep(1.2)
    fresh.write()
    until = now + 4 * MINUTE_US
    reader = Reader(store, lambda: until)
    listed = own_figures(reader, "fleet")
    (own,) = listed.figures
    assert own.servers == [server.name] and not own.silent and [v.value for v in own.values] == [10_000.0, 10_000.0]
    assert listed.takes == [server.name] and "1 figure of your own is recorded" in listed.sentence
    shown = {one.name: one for one in figures_of(reader, server_of(store), Span(until - 5 * MINUTE_US, until)).figures}
    watched = watched_of(reader, server_of(store), Span(until - 5 * MINUTE_US, until))
    assert [(one.title, one.most, set(one.values)) for one in watched] == [
        ("Loans that are open p0", 9_999.0, {10_000.0}),
        ("Loans that are open p1", 9_999.0, {10_000.0}),
    ]
    assert (shown["own.open_loans.p0"].title, shown["own.open_loans.p0"].unit) == ("Loans that are open p0", "rows")
    fresh.stop()
    with store.write() as session:
        drop_figure(session, [server], "open_loans")
    with store.write() as session, pytest.raises(NotFound):
        drop_figure(session, [server], "open_loans")


@pytest.mark.parametrize(
    ("sql", "why"),
    [
        ("SELECT 1 AS amount", "no column named value"),
        ("SELECT 'many' AS value", "no number"),
        ("SELECT 1 AS value WHERE false", "no row"),
        ("DELETE FROM loan RETURNING 1 AS value", "syntax error"),
        ("SELECT 1 AS value FROM nowhere", "does not exist"),
        ("SELECT 1 AS value, pg_sleep(1.2)", "too dear"),
        ("SELECT 1 AS value, pg_sleep(20)", "timeout"),
    ],
)
def test_what_cannot_be_recorded_is_not_kept(store: Store, collector: Collector, sql: str, why: str) -> None:
    server, figure = server_of(store), FigureQuery(name="wrong", sql=sql)
    found = check_figure(store, server, figure)
    assert why in found.problem
    with store.write() as session, pytest.raises(InvalidInput, match="on reading-room") as refused:
        keep_figure(session, [server], figure, [found])
    assert refused.value.field == "sql" and not server_of(store).figures


def test_limits_that_exclude_every_value_are_refused() -> None:
    with pytest.raises(ValueError, match="most: 1 is below least, 2"):
        FigureQuery(name="wrong", sql="SELECT 1 AS value", least=2, most=1)
