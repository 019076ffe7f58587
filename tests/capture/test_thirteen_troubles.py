"""Thirteen troubles made in one real PostgreSQL: each leaves its evidence in the store, as the queries give it to screens and rules."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack, suppress
from dataclasses import dataclass, field
from pathlib import Path

import psycopg
import pytest

from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.registration import Registration, register
from hardy_gauge.core.activity.waiting import IDLE
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.diagnose.worker import diagnose_server
from hardy_gauge.queries.connection_groups import connected_groups
from hardy_gauge.queries.holdups import holdups_of
from hardy_gauge.queries.log_messages import messages_in
from hardy_gauge.queries.objects import IndexOut, TableOut, objects_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.server_figures import figures_of
from hardy_gauge.queries.server_sheet import server_sheet
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.store.database import Store
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.models import Account, Server
from tests.patience import PATIENT_S
from tests.postgres import SECRET, watched_postgres

pytestmark = [pytest.mark.postgres, pytest.mark.xdist_group("thirteen")]
MINUTE_US = 60_000_000
LOST = "SELECT count(note) FROM loan WHERE patron = %s"
WIDE = "SELECT * FROM branch_page WHERE branch = %s"
SPILLS = "SELECT note FROM loan ORDER BY note, due"
SMALL = "SELECT note FROM loan WHERE id = %s"
FAILS = "SELECT 10 / (id - 3) FROM loan WHERE id = %s"


@dataclass
class Recording:
    """What is known after the troubles; ``wide_bytes`` a row of the wide statement takes."""

    store: Store
    now_us: int
    first_us: int
    reader: Reader = field(init=False)

    def __post_init__(self) -> None:
        self.reader = Reader(self.store, lambda: self.now_us)

    @property
    def focus(self) -> Span:
        return Span(self.first_us - MINUTE_US, self.now_us)

    @property
    def server(self) -> Server:
        return servers_in(self.reader, "fleet")[0]

    def table(self, name: str) -> TableOut:
        return next(one for one in objects_of(self.reader, self.server, self.focus).tables if one.name == name)

    def index(self, table: str, name: str) -> IndexOut:
        return next(one for one in self.table(table).indexes if one.name == name)

    def figure(self, name: str) -> float:
        return next(
            one.value or 0.0 for one in figures_of(self.reader, self.server, self.focus).figures if one.name == name
        )


def prepare(owner: psycopg.Connection) -> None:
    for text in (
        "CREATE TABLE branch_page (branch int, page text, extra text)",
        "INSERT INTO branch_page SELECT i % 50, repeat('p', 900), repeat('x', 900) FROM generate_series(1, 2000) i",
        "CREATE INDEX branch_page_branch ON branch_page (branch)",
        "CREATE INDEX loan_due ON loan (due)",
        "CREATE INDEX loan_due_again ON loan (due)",
        "CREATE TABLE stamp (id smallserial PRIMARY KEY, at timestamptz DEFAULT now())",
        "INSERT INTO stamp SELECT FROM generate_series(1, 30000)",
        "CREATE TABLE aged (id int PRIMARY KEY, note text) WITH (autovacuum_enabled = off)",
        "INSERT INTO aged SELECT i, repeat('n', 100) FROM generate_series(1, 5000) i",
        "CREATE INDEX loan_patron ON loan (patron)",
        "ALTER SYSTEM SET max_wal_size = '32MB'",
        "SELECT pg_reload_conf()",
        "SELECT pg_stat_force_next_flush()",
        "VACUUM ANALYZE",
    ):
        owner.execute(text)  # type: ignore[call-overload]


def quietly(connection: psycopg.Connection, text: str, values: list[int] | None = None) -> None:
    with suppress(psycopg.Error):
        connection.execute(text, values)  # type: ignore[call-overload]


def make_troubles(owner: psycopg.Connection) -> None:
    """All but those that a look has to see."""
    owner.execute("DROP INDEX loan_patron")
    owner.execute("UPDATE aged SET note = note || 'b'")
    owner.execute("UPDATE aged SET note = note || 'c'")
    owner.execute("INSERT INTO branch_page SELECT 99, 'new', 'new' FROM generate_series(1, 4000)")
    with psycopg.connect(owner.info.dsn, autocommit=True, application_name="desk") as desk:
        for n in range(60):
            desk.execute(LOST, [n])
        for n in range(10):
            desk.execute(WIDE, [n])
        desk.execute("SET work_mem = '64kB'")
        for _ in range(3):
            desk.execute(SPILLS)
        for n in range(3000):
            desk.execute(SMALL, [n % 500])
        for n in [1, 2, *[3] * 7]:
            quietly(desk, FAILS, [n])
        for _ in range(3):
            desk.execute("UPDATE loan SET note = note || repeat('w', 500)")
    deadlock(owner)
    owner.execute("SELECT pg_stat_force_next_flush()")  # a session that idles tells its figures up to ten seconds later


def count_on(dsn: str, over: threading.Event) -> None:
    """The statement whose index was lost, without a pause."""
    with psycopg.connect(dsn, autocommit=True, application_name="counting") as desk:
        while not over.is_set():
            desk.execute(LOST, [3])


def deadlock(owner: psycopg.Connection) -> None:
    with ExitStack() as stack:
        one, two = (stack.enter_context(psycopg.connect(owner.info.dsn, application_name=n)) for n in ("left", "right"))
        one.execute("UPDATE loan SET note = 'l' WHERE id = 101")
        two.execute("UPDATE loan SET note = 'r' WHERE id = 102")
        waits = threading.Thread(target=quietly, args=(one, "UPDATE loan SET note = 'l' WHERE id = 102"))
        waits.start()
        time.sleep(0.2)
        quietly(two, "UPDATE loan SET note = 'r' WHERE id = 101")
        waits.join(timeout=PATIENT_S)
        one.rollback()
        two.rollback()


@pytest.fixture(scope="module")
def recording(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Recording]:
    folder = Path(tmp_path_factory.mktemp("thirteen"))
    store = Store(folder / "hardy-gauge.db")
    with watched_postgres() as (owner, address):
        prepare(owner)
        with store.write() as session:
            secret = Keyring(folder).close(SECRET)
            session.add(Account(name="watch", user="gauge", secret=secret, groups=["reading"], changed_us=1))
        (joined,) = register(store, [Registration(address, cluster="reading", account="watch")], user=OPERATOR)
        joined.probe.close()
        collector = Collector(store)
        (recorder,), first = collector.recorders, clock_us()
        now = first
        for _ in range(2):
            recorder.look_again(now)
            collector.write()
            time.sleep(0.7)
            now += MINUTE_US
        make_troubles(owner)
        with ExitStack() as stack:
            flood = [
                stack.enter_context(psycopg.connect(owner.info.dsn, application_name="pool", autocommit=True))
                for _ in range(60)
            ]
            holder = stack.enter_context(psycopg.connect(owner.info.dsn, application_name="night desk"))
            holder.execute("UPDATE loan SET note = 'hot' WHERE id = 7")
            waiters = []
            for connection in flood[:5]:
                waiters.append(
                    threading.Thread(target=quietly, args=(connection, "UPDATE loan SET note = 'w' WHERE id = 7"))
                )
                waiters[-1].start()
            time.sleep(1.2)
            owner.execute("SELECT pg_stat_force_next_flush()")
            recorder.look_again(now)
            for second in range(1, 20):
                recorder.tick(now + second * 1_000_000)
            collector.write()
            holder.rollback()
            for waiter in waiters:
                waiter.join(timeout=PATIENT_S)
        now += MINUTE_US
        over = threading.Event()
        counting = [threading.Thread(target=count_on, args=(owner.info.dsn, over)) for _ in range(2)]
        for one in counting:
            one.start()
        time.sleep(1.2)
        recorder.look_again(now)
        for second in range(1, 40):
            recorder.tick(now + second * 1_000_000)
        over.set()
        for one in counting:
            one.join(timeout=PATIENT_S)
        assert recorder.error == "", recorder.error
        collector.write()
        yield Recording(store, now + MINUTE_US, first)
        collector.stop()
    store.close()


def statement(recording: Recording, part: str):  # type: ignore[no-untyped-def]
    rows = statement_rows(recording.reader, Window(recording.focus), "fleet").rows
    return next(row for row in rows if part in row.text)


def test_lost_index(recording: Recording) -> None:
    changes = [c.title for c in server_sheet(recording.reader, Window(recording.focus), recording.server.name).changes]
    assert "index loan_patron on loan (patron) was dropped" in changes
    assert (recording.table("loan").rows_by_scan_per_s or 0) > 10_000
    found = [one for one, _ in diagnose_server(recording.reader, recording.server).findings]
    assert [f.title for f in found if f.cause == "missing_index"] == ["Missing index on loan (patron)"]


def test_stale_statistics(recording: Recording) -> None:
    pages = recording.table("branch_page")
    assert pages.changed_since == 4000 and pages.statistics_us is not None


def test_idle_holder_and_hot_row(recording: Recording) -> None:
    (held,) = [
        one for one in holdups_of(recording.reader, recording.server, recording.focus) if one.service == "night desk"
    ]
    assert held.doing == IDLE
    assert "UPDATE loan" in held.text and held.most_waiting >= 5


def test_spills(recording: Recording) -> None:
    assert (statement(recording, "ORDER BY note").temporary_pages_per_call or 0) > 10
    assert recording.figure("temporary_bytes") > 0


def test_wide_select(recording: Recording) -> None:
    row = statement(recording, "branch_page WHERE branch")
    assert row.rows_returned_per_call == 40 and row.text.startswith("SELECT *")


def test_errors_and_deadlocks(recording: Recording) -> None:
    by_code = {one.code: one for one in messages_in(recording.reader, [recording.server], recording.focus)}
    assert by_code["22012"].count == 7 and "loan" in by_code["22012"].text
    assert by_code["40P01"].count == 1 and by_code["40P01"].detail.count("Process") == 2 * 2
    failing = statement(recording, "(id - ")
    assert (failing.calls, failing.errors) == (2, 7), "those that failed are in the log alone"
    assert statement(recording, "SELECT note FROM loan WHERE id").errors == 0


def test_forced_checkpoints(recording: Recording) -> None:
    assert recording.figure("checkpoints_forced") > 0
    shapes = [one.shape for one in messages_in(recording.reader, [recording.server], recording.focus)]
    assert any("checkpoint" in shape for shape in shapes)


def test_bloat_and_upkeep_off(recording: Recording) -> None:
    aged = recording.table("aged")
    assert aged.dead_rows == 10_000 and aged.options == {"autovacuum_enabled": "off"}
    assert aged.spare_bytes is not None and aged.spare_bytes > 0.5 * aged.heap_bytes


def test_unused_and_duplicate_index(recording: Recording) -> None:
    one, other = recording.index("loan", "loan_due"), recording.index("loan", "loan_due_again")
    assert one.columns == other.columns == ["due"] and other.lookups_counted == 0 and other.counted_since_us


def test_sequence_near_its_end(recording: Recording) -> None:
    found = {one.name: one for one in objects_of(recording.reader, recording.server, recording.focus).sequences}
    assert found["stamp_id_seq"].used == pytest.approx(29_999 / 32_766)


def test_many_small_calls(recording: Recording) -> None:
    row = statement(recording, "SELECT note FROM loan WHERE id")
    assert row.calls == 3000 and row.time_per_call_s is not None and row.time_per_call_s < 0.001


def test_session_flood(recording: Recording) -> None:
    groups = connected_groups(recording.reader, recording.server, recording.focus)
    assert next(one for one in groups if one.service == "pool").most == 60
    assert recording.figure("sessions_limit") == 97
