"""A real PostgreSQL under a workload that the test drives: what is stored is what the server itself reports."""

from __future__ import annotations

import random
import threading
import time
from collections.abc import Iterator
from contextlib import suppress

import polars as pl
import psycopg
import pytest
from sqlalchemy import select

from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.recorder import Recorder
from hardy_gauge.capture.registration import Registration, register
from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.diagnose.cache_curve import cache_curve_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.sizing import sizing_sheet
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.models import Account, Change, Statement
from tests.postgres import SECRET, watched_postgres

pytestmark = pytest.mark.postgres
MINUTE_US = 60_000_000
WORK = (
    "SELECT note FROM loan WHERE id = %s",
    "SELECT count(*) FROM loan WHERE patron = %s",
    "UPDATE loan SET note = 'seen' WHERE id = %s",
    "INSERT INTO loan (patron, due) VALUES (%s, now())",
)
OWN = """SELECT query, sum(calls), sum(total_exec_time) / 1000, sum(rows), sum(wal_bytes) FROM pg_stat_statements
         JOIN pg_roles r ON r.oid = userid WHERE rolname = 'postgres' AND query ~ 'loan' AND query !~ 'pg_stat' GROUP BY 1"""
Figures = dict[str, tuple[float, ...]]


@pytest.fixture(scope="module")
def watched() -> Iterator[tuple[psycopg.Connection, str]]:
    with watched_postgres() as made:
        yield made


@pytest.fixture
def collector(store: Store, watched: tuple[psycopg.Connection, str]) -> Iterator[Collector]:
    with store.write() as session:
        secret = Keyring(store.path.parent).close(SECRET)
        session.add(Account(name="watch", user="gauge", secret=secret, groups=["reading"], changed_us=1))
    (joined,) = register(store, [Registration(watched[1], cluster="reading", account="watch")], user=OPERATOR)
    joined.probe.close()
    made = Collector(store)
    yield made
    made.stop()


class Workload:
    """Four sessions that work until told to stop."""

    def __init__(self, owner: psycopg.Connection) -> None:
        self.over = threading.Event()
        self.threads = [threading.Thread(target=self._work, args=(owner.info.dsn, n)) for n in range(4)]

    def _work(self, dsn: str, seed: int) -> None:
        chance = random.Random(seed)
        with psycopg.connect(dsn, application_name=f"desk {seed}", autocommit=True) as connection:
            while not self.over.is_set():
                connection.execute(chance.choice(WORK), [chance.randint(1, 20_000)])

    def __enter__(self) -> Workload:
        for thread in self.threads:
            thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.over.set()
        for thread in self.threads:
            thread.join()


def reported(owner: psycopg.Connection) -> Figures:
    rows = owner.execute(OWN).fetchall()
    return {normalise(text).fingerprint: tuple(map(float, figures)) for text, *figures in rows}


def stored(store: Store, kind: segments.Kind) -> pl.DataFrame:
    with store.read() as session:
        return segments.read(session, [1], kind, 0, 2**62)


def test_what_is_stored_is_what_the_server_reports(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    owner, recorder, now = watched[0], collector.recorders[0], clock_us()
    recorder.tick(now)
    before = reported(owner)
    with Workload(owner):
        for minute in range(1, 4):
            time.sleep(1.2)
            recorder.tick(now + minute * MINUTE_US)
            assert recorder.error == ""
            owner.execute("SELECT count(*) FROM loan WHERE due > now() + interval '1 day'")
    after = reported(owner)
    time.sleep(0.6)
    recorder.tick(now + 4 * MINUTE_US)
    collector.write()
    with store.read() as session:
        prints = {s.id: s.fingerprint for s in session.scalars(select(Statement))}
    frame = stored(store, "statement").with_columns(pl.col("statement").replace_strict(prints).alias("print"))
    columns = ("calls", "time_s", "rows_returned", "log_bytes")
    sums = {row[0]: row[1:] for row in frame.group_by("print").agg(pl.col(*columns).sum()).iter_rows()}
    assert len(after) >= 5 and sum(row[0] for row in after.values()) > 500
    for key, (calls, seconds, rows, log_bytes) in after.items():
        old = before.get(key, (0.0, 0.0, 0.0, 0.0))
        if calls == old[0]:
            continue
        assert (sums[key][0], sums[key][2], sums[key][3]) == (calls - old[0], rows - old[2], log_bytes - old[3])
        assert sums[key][1] == pytest.approx(seconds - old[1], rel=0.01)
    minutes = stored(store, "metric")
    assert minutes["calls"].sum() >= sum(row[0] for row in after.values()) - sum(row[0] for row in before.values())
    assert (minutes["capture_call_s"] > 0).all() and (minutes["capture_core_s"] > 0).all()
    assert (minutes["capture_s"].drop_nulls() > 0).all()


def sleeps(desk: psycopg.Connection) -> None:
    with suppress(psycopg.errors.QueryCanceled):
        desk.execute("SELECT pg_sleep(100) AS never_seen_before")


def test_a_statement_that_has_not_ended_is_known_and_counts(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    owner, recorder, now = watched[0], collector.recorders[0], clock_us()
    recorder.tick(now)
    with psycopg.connect(owner.info.dsn, application_name="night desk", autocommit=True) as desk:
        began = time.monotonic()
        work = threading.Thread(target=sleeps, args=(desk,))
        work.start()
        time.sleep(1.2)
        recorder.tick(now + MINUTE_US)
        passed = time.monotonic() - began
        collector.write()
        samples, minutes = stored(store, "sample"), stored(store, "metric")
        desk.cancel_safe()
        work.join()
    with store.read() as session:
        texts = {s.id: s.text for s in session.scalars(select(Statement))}
    (sample,) = samples.filter(pl.col("service") == "night desk").iter_rows(named=True)
    assert texts[sample["statement"]] == "SELECT pg_sleep($1) AS never_seen_before"
    assert (sample["wait_event"], sample["wait_family"]) == ("Timeout:PgSleep", "other")
    finished = stored(store, "statement")
    ended = finished["time_s"].sum() if len(finished) else 0.0
    # once and not twice; what the recorder itself asked is in the minute too, and takes longer on a busy machine
    assert 0.6 < minutes["time_s"][-1] - ended < 1.6 * passed, "what still runs counts as it runs"


def test_reset_and_restart_are_told_and_nothing_is_guessed(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    owner, recorder, now = watched[0], collector.recorders[0], clock_us()
    recorder.tick(now)
    owner.execute("SELECT count(*) FROM loan")
    owner.execute("SELECT pg_stat_reset()")
    time.sleep(0.6)
    recorder.tick(now + MINUTE_US)
    time.sleep(0.6)
    recorder.tick(now + 2 * MINUTE_US)
    (reset,) = [t for t in recorder.batch.troubles if t.kind == "reset"]
    assert "went back" in reset.reason
    assert len(recorder.work.metrics) == 1


def test_the_secret_is_nowhere_in_what_is_written(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str], caplog: pytest.LogCaptureFixture
) -> None:
    owner, recorder = watched[0], collector.recorders[0]
    recorder.tick(clock_us())
    collector.write()
    owner.execute("ALTER ROLE gauge PASSWORD 'another'")
    owner.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE usename = 'gauge'")
    for minute in (1, 2):
        recorder.tick(clock_us() + minute * MINUTE_US)
    collector.write()
    owner.execute(f"ALTER ROLE gauge PASSWORD '{SECRET}'")
    files = [path for path in store.path.parent.rglob("*") if path.is_file()]
    assert len(files) >= 2
    assert not [path.name for path in files if SECRET.encode() in path.read_bytes()]
    assert SECRET not in caplog.text and SECRET not in repr(recorder.probe)
    assert (store.path.parent / "keyring.key").stat().st_mode & 0o077 == 0


def test_a_setting_that_changes_is_one_change_in_its_unit(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    """The log and the settings both report it."""
    owner, recorder, now = watched[0], collector.recorders[0], clock_us()
    recorder.tick(now)
    collector.write()
    owner.execute("ALTER SYSTEM SET work_mem = '64MB'")
    owner.execute("SELECT pg_reload_conf()")
    time.sleep(1.2)
    for minute in (1, 2):
        recorder.tick(now + minute * MINUTE_US)
        collector.write()
    with store.read() as session:
        changes = [c.title for c in session.scalars(select(Change).where(Change.object == "work_mem"))]
    owner.execute("ALTER SYSTEM RESET work_mem")
    owner.execute("SELECT pg_reload_conf()")
    assert changes == ["work_mem changed from 4 MiB to 64 MiB"]


def looked_at(owner: psycopg.Connection, recorder: Recorder, service: str, text: str, at_us: int) -> None:
    """A look while a session of a service runs a text that takes more than half a second, to its end."""
    with psycopg.connect(owner.info.dsn, application_name=service, autocommit=True) as desk:
        work = threading.Thread(target=desk.execute, args=(text,))
        work.start()
        time.sleep(0.4)
        recorder.tick(at_us)
        work.join()


def test_services_are_those_whose_sessions_were_seen(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    """The counters of this engine know no service; sessions do, and it may be another one later."""
    owner, recorder, now = watched[0], collector.recorders[0], clock_us()
    recorder.tick(now)
    for place, service in enumerate(("loans desk", "night batch"), 1):
        looked_at(owner, recorder, service, "SELECT pg_sleep(1.5) AS of_services", now + place * MINUTE_US)
    time.sleep(0.6)
    recorder.tick(now + 3 * MINUTE_US)
    collector.write()
    reader = Reader(store, lambda: now + 3 * MINUTE_US + 1)
    focus = Span(now - MINUTE_US, now + 3 * MINUTE_US + 1)
    rows = statement_rows(reader, Window(focus), "fleet", "of_services").rows
    assert [row.services for row in rows] == [["loans desk", "night batch"]]


def test_a_forecast_of_the_cache_from_looks_at_it(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    owner, recorder = watched[0], collector.recorders[0]
    now = clock_us()
    recorder.look_again(now)
    reader = Reader(store, lambda: now)
    assert "Cache curve" in {one.title for one in sizing_sheet(reader, "reading-room").lacking}
    owner.execute("CREATE EXTENSION pg_buffercache")
    recorder.look_again(now + MINUTE_US)
    collector.write()
    sheet = sizing_sheet(reader, "reading-room")
    assert sheet.curve is not None and "looked at 6 times in 15 s" in sheet.curve.words
    quiet = cache_curve_of(reader, "reading-room", lambda _: None)
    assert quiet.forecast and quiet.curve is None and "Too little" in quiet.sentence

    def work(_: float) -> None:
        for _ in range(10):
            owner.execute("SELECT count(note) FROM loan")
        owner.execute("SELECT pg_stat_force_next_flush()")

    told = cache_curve_of(reader, "reading-room", work)
    assert told.now is not None and told.now_bytes == 128 * 2**20 and told.now.hit_ratio > 0.95
    assert "so more would find no more" in told.sentence


def test_calls_that_hang_on_a_lock_lead_the_statements(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    """Two calls wait for a row that a third session holds; neither has finished, so the counters know nothing of them."""
    owner, recorder = watched[0], collector.recorders[0]
    recorder.tick(clock_us())
    with psycopg.connect(owner.info.dsn) as holder:
        holder.execute("UPDATE loan SET note = 'held' WHERE id = 11")
        desks = [psycopg.connect(owner.info.dsn, application_name="hung desk", autocommit=True) for _ in range(2)]
        hang = "UPDATE loan SET note = 'hung', due = due WHERE id = 11"
        waiting = [threading.Thread(target=desk.execute, args=(hang,)) for desk in desks]
        began = time.monotonic()
        for one in waiting:
            one.start()
        for _ in range(3):
            time.sleep(1.0)
            recorder.tick(clock_us())
        passed = time.monotonic() - began
        collector.write()
        now = clock_us()
        reader = Reader(store, lambda: now)
        rows = statement_rows(reader, Window(Span(now - MINUTE_US, now)), "fleet").rows
        holder.rollback()
    for one in waiting:
        one.join()
    for desk in desks:
        desk.close()
    first = rows[0]
    assert "hung" not in first.text and first.text.startswith("UPDATE loan SET note = $")
    assert (first.unfinished, first.main_family, first.services) == (2, "row lock", ["hung desk"])
    assert first.unfinished_s == pytest.approx(2 * passed, abs=2.5) and first.share > 0.5
