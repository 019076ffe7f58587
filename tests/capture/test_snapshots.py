"""Snapshots of a real PostgreSQL against what it says itself, across a reset; and those on schedule."""

from __future__ import annotations

import time

import pytest
from sqlalchemy import select
from sqlalchemy.orm import undefer

from hardy_gauge.capture import snapshots
from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.capture.registration import Registration, register
from hardy_gauge.queries.snapshot_difference import compare, statements_of
from hardy_gauge.store.database import Store
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.models import Account, CounterSnapshot
from tests.faults.fake import SECOND, FakeServer
from tests.postgres import SECRET, watched_postgres

HOUR_US = 3600 * SECOND


def row_of(store: Store, number: int) -> CounterSnapshot:
    with store.read() as session:
        return session.get_one(CounterSnapshot, number, options=[undefer(CounterSnapshot.statements)])


@pytest.mark.postgres
def test_the_difference_is_what_was_run_between(store: Store) -> None:
    with watched_postgres() as (desk, address):
        with store.write() as session:
            secret = Keyring(store.path.parent).close(SECRET)
            session.add(Account(name="watch", user="gauge", secret=secret, groups=[], changed_us=1))
        (server,) = register(store, [Registration(address, account="watch")], user=OPERATOR)
        for _ in range(3):
            desk.execute("SELECT * FROM loan WHERE id < 11")
        first = snapshots.take(store, server.server_id, "test")
        for _ in range(7):
            desk.execute("SELECT * FROM loan WHERE id < 11")
        desk.execute("SELECT count(*) FROM loan")
        time.sleep(0.6)
        second = snapshots.take(store, server.server_id, "test")
        desk.execute("SELECT pg_stat_statements_reset()")
        for _ in range(2):
            desk.execute("SELECT * FROM loan WHERE id < 11")
        time.sleep(0.6)
        third = snapshots.take(store, server.server_id, "test")

    def of_loans(a: int, b: int) -> tuple[dict[str, float], list[str]]:
        done = compare(row_of(store, a), row_of(store, b))
        texts = {r["key"]: r["text"] for r in statements_of(row_of(store, b)).iter_rows(named=True)}
        (key,) = (k for k in done.statements if texts[k].startswith("SELECT * FROM loan WHERE"))
        return done.statements[key], done.notes

    run, notes = of_loans(first, second)
    assert (run["calls"], run["rows_returned"]) == (7, 70) and notes == []
    since, notes = of_loans(second, third)
    assert (since["calls"], since["rows_returned"]) == (2, 20), "what is told is the least that was done"
    assert any("reset between" in note for note in notes)


def test_on_schedule_one_is_taken_at_each_multiple_and_old_ones_go(store: Store) -> None:
    fake = FakeServer("good")
    (server,) = register(store, [fake.address])
    now = fake.now // HOUR_US * HOUR_US
    with store.write() as session:
        snapshots.set_schedule(
            session, snapshots.Schedule.model_validate({"applies_to": ["c"], "every": "1 h", "keep_days": 1})
        )

    def taken() -> list[int]:
        with store.read() as session:
            return [
                (at - now) // HOUR_US
                for at in session.scalars(select(CounterSnapshot.noted_us).order_by(CounterSnapshot.id))
            ]

    for minutes in (1, 2, 59, 61, 62, 130):
        snapshots.run_due(store, now + minutes * 60 * SECOND)
    assert taken() == [0, 1, 2]
    by_hand = snapshots.take(store, server.server_id, "maren")
    snapshots.run_due(store, now + 26 * HOUR_US)
    assert taken() == [2, (0 - now) // HOUR_US, 26], "a day later the first two are gone; the one by hand stays"
    assert row_of(store, by_hand).why == "maren"
    fake.spoil = lambda _: (500, b"")
    snapshots.run_due(store, now + 27 * HOUR_US)
    fake.spoil = lambda _: None
    snapshots.run_due(store, now + 27 * HOUR_US + SECOND)
    assert taken()[-1] == 27, "one that failed is tried again"
    fake.http.shutdown()
