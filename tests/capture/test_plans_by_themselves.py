"""Plans of a real PostgreSQL that are asked for by themselves: what is heavy, writes too, and a flip within the next ask."""

from __future__ import annotations

import time

import psycopg
import pytest
from sqlalchemy import select

from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.plan_asking import AGAIN_US, PRICE_S, PlanAsking
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.probes.protocol import StatementCounter
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statement_sheet import StatementDetail, statement_sheet
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Plan, Statement
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched

MINUTE_US = 60_000_000
STORED = {"a", "b", "new", "other", *map(str, range(30))}
BY_DUE = "SELECT count(note) FROM loan WHERE due = %s"


class Minutes:
    """Looks at a server, minutes apart by our clock."""

    def __init__(self, store: Store, collector: Collector) -> None:
        self.store, self.collector = store, collector
        self.first_us = self.now_us = clock_us()

    def look(self, minutes: int = 1) -> None:
        time.sleep(0.7)  # figures of less than half a second are none
        self.now_us += minutes * MINUTE_US
        (recorder,) = self.collector.recorders
        recorder.look_again(self.now_us)
        assert recorder.error == "", recorder.error
        self.collector.write()
        for second in range(1, 20):  # plans are asked for some at a time
            recorder.tick(self.now_us + second * 1_000_000)
        self.collector.write()

    def sheet(self, text: str) -> StatementDetail:
        reader = Reader(self.store, lambda: self.now_us)
        with self.store.read() as session:
            found = session.scalar(select(Statement).where(Statement.text.contains(text)))
        assert found is not None, f"no statement with {text}"
        focus = Span(self.first_us - MINUTE_US, self.now_us + MINUTE_US)
        return statement_sheet(reader, Window(focus), "fleet", found.fingerprint)


def work(owner: psycopg.Connection) -> None:
    for n in range(20):
        owner.execute(BY_DUE, [f"2026-02-{n + 1:02}"])
        owner.execute("UPDATE loan SET note = 'late' WHERE patron = %s", [n])
    owner.execute("SELECT pg_stat_force_next_flush()")


@pytest.mark.postgres
def test_a_flip_of_a_plan_is_seen_at_the_next_ask(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    owner, minutes = watched[0], Minutes(store, collector)
    owner.execute("CREATE INDEX loan_due ON loan (due)")
    owner.execute("ANALYZE loan")
    minutes.look()
    work(owner)
    minutes.look()
    work(owner)
    minutes.look()
    (with_index,) = [use for use in minutes.sheet("count").plans if use.plan_key != "not reported"]
    assert with_index.stored
    owner.execute("DROP INDEX loan_due")
    work(owner)
    minutes.look(minutes=AGAIN_US // MINUTE_US)
    work(owner)
    minutes.look()
    sheet = minutes.sheet("count")
    uses = [use for use in sheet.plans if use.plan_key != "not reported"]
    assert len(uses) == 2 and uses[0].plan_key != with_index.plan_key and uses[0].stored
    with store.read() as session:
        bodies = {plan.plan_key: plan.body for plan in session.scalars(select(Plan))}
    assert "loan_due" in str(bodies[with_index.plan_key]) and "loan_due" not in str(bodies[uses[0].plan_key])


@pytest.mark.postgres
def test_a_write_is_explained_without_running_it(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    owner, minutes = watched[0], Minutes(store, collector)
    minutes.look()
    work(owner)
    before = owner.execute("SELECT n_tup_upd FROM pg_stat_user_tables WHERE relname = 'loan'").fetchone()
    minutes.look()
    minutes.look()
    assert owner.execute("SELECT n_tup_upd FROM pg_stat_user_tables WHERE relname = 'loan'").fetchone() == before
    with store.read() as session:
        found = session.scalars(
            select(Plan).join(Statement, Plan.statement_id == Statement.id).where(Statement.kind == "update")
        ).all()
    assert found and "loan" in str(found[0].body), "the account may not write, so it is the plan that finds the rows"


def counter(key: str, calls: float, time_s: float, database: str = "library") -> StatementCounter:
    return StatementCounter(
        key=key,
        text=f"SELECT {key}",
        database=database,
        user="u",
        service="",
        calls=calls,
        time_s=time_s,
        rows_returned=0,
    )


def asked(asking: PlanAsking, now_us: int, took_s: float = 0.001, plan: str | None = "p") -> list[str]:
    found = []
    while (wanted := asking.next(now_us, STORED)) is not None:
        found.append(wanted.key)
        asking.answered(wanted, plan, took_s, now_us)
    return found


def test_the_heaviest_are_asked_first_and_again_after_a_while() -> None:
    asking = PlanAsking("library")
    asking.minute([counter("a", 10, 1), counter("b", 10, 5), counter("other", 9, 99, "archive")], 0)
    assert asked(asking, 0) == [], "nothing is known of one look"
    asking.minute([counter("a", 20, 2), counter("b", 20, 10), counter("other", 90, 990, "archive")], MINUTE_US)
    assert asked(asking, MINUTE_US) == ["b", "a"]
    asking.minute([counter("a", 30, 3), counter("b", 30, 15)], 2 * MINUTE_US)
    assert asked(asking, 2 * MINUTE_US) == []
    asking.minute([counter("a", 40, 6), counter("b", 40, 20), counter("new", 1, 0.1)], 3 * MINUTE_US)
    assert asked(asking, 3 * MINUTE_US) == ["a", "new"], "one is three times as slow, one is new"
    asking.minute([counter("a", 50, 9), counter("b", 50, 25), counter("new", 2, 0.2)], MINUTE_US + AGAIN_US)
    assert asked(asking, MINUTE_US + AGAIN_US) == ["b"]
    assert asking.in_use("b") == "p" and asking.in_use("other") is None


def test_what_is_refused_is_left_alone_and_the_price_is_kept() -> None:
    asking = PlanAsking()
    asking.minute([counter("a", 1, 1)], 0)
    asking.minute([counter("a", 2, 2)], MINUTE_US)
    assert asked(asking, MINUTE_US, plan=None) == ["a"]
    asking.minute([counter("a", 3, 9)], 30 * MINUTE_US)
    assert asked(asking, 30 * MINUTE_US) == []
    many = PlanAsking()
    many.minute([counter(str(n), 1, 1) for n in range(30)], 0)
    many.minute([counter(str(n), 2, 2) for n in range(30)], MINUTE_US)
    assert len(asked(many, MINUTE_US, took_s=0.5)) == int(PRICE_S / 0.5) + 1
