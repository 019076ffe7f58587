"""Tables, indexes and sequences of a real PostgreSQL, as the server itself counts them, and what changed in its schema."""

from __future__ import annotations

import time
from collections.abc import Iterator

import psycopg
import pytest
from sqlalchemy import select

from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.objects import ServerObjects, counted_s, objects_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Change
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched

pytestmark = pytest.mark.postgres
MINUTE_US = 60_000_000
# of the server itself: what it counts of a table, since it started
COUNTED = """SELECT seq_scan, seq_tup_read, idx_scan, idx_tup_fetch, n_tup_ins, n_tup_upd, n_tup_hot_upd, n_tup_del, n_dead_tup
             FROM pg_stat_user_tables WHERE relname = 'visit'"""


class Minutes:
    """Looks a minute apart by our clock; the server's own clock runs as it does."""

    def __init__(self, store: Store, collector: Collector) -> None:
        self.store, self.collector = store, collector
        self.first_us = self.now_us = clock_us()

    def look(self) -> None:
        time.sleep(0.7)  # figures of less than half a second are none
        self.now_us += MINUTE_US
        (recorder,) = self.collector.recorders
        recorder.look_again(self.now_us)
        assert recorder.error == "", recorder.error
        self.collector.write()

    def objects(self) -> ServerObjects:
        reader = Reader(self.store, lambda: self.now_us)
        (owner,) = servers_in(reader, "fleet")
        return objects_of(reader, owner, Span(self.first_us, self.now_us + MINUTE_US))

    def changes(self, kind: str) -> list[Change]:
        with self.store.read() as session:
            return list(session.scalars(select(Change).where(Change.kind == kind).order_by(Change.id)))


@pytest.fixture
def minutes(store: Store, collector: Collector) -> Minutes:
    return Minutes(store, collector)


@pytest.fixture
def owner(watched: tuple[psycopg.Connection, str]) -> Iterator[psycopg.Connection]:
    """With a table of visits that nobody else uses."""
    made = watched[0]
    made.execute("CREATE TABLE visit (id bigserial PRIMARY KEY, branch smallint, who text, seen bool, paid numeric)")
    made.execute(
        "INSERT INTO visit (branch, who, seen, paid) SELECT i % 20, CASE WHEN i % 3 > 0 THEN repeat('x', i % 40) END, i % 2 = 0, i * 1.5 "
        "FROM generate_series(1, 50000) i"
    )
    made.execute("CREATE INDEX visit_branch ON visit (branch)")
    made.execute("CREATE INDEX visit_paid ON visit (branch, paid)")
    made.execute("SELECT pg_stat_force_next_flush()")
    made.execute("VACUUM ANALYZE visit")
    yield made
    made.execute("DROP TABLE IF EXISTS visit")


def counted(owner: psycopg.Connection) -> tuple[float, ...]:
    owner.execute("SELECT pg_stat_force_next_flush()")
    row = owner.execute(COUNTED).fetchone()
    assert row is not None
    return row


def test_work_on_a_table_as_the_server_counts_it(minutes: Minutes, owner: psycopg.Connection) -> None:
    before = counted(owner)
    minutes.look()
    for branch in range(7):
        owner.execute("SELECT count(*) FROM visit WHERE who = 'y'")
        owner.execute("SELECT sum(paid) FROM visit WHERE branch = %s AND paid < 90", [branch])
    owner.execute("UPDATE visit SET seen = true WHERE id <= 300")
    owner.execute("UPDATE visit SET branch = 3 WHERE id <= 40")
    owner.execute("DELETE FROM visit WHERE id > 49000")
    owner.execute("INSERT INTO visit (branch) SELECT 1 FROM generate_series(1, 25)")
    after = counted(owner)
    minutes.look()
    (table,) = [one for one in minutes.objects().tables if one.name == "visit"]
    done = [a - b for a, b in zip(after[:8], before[:8], strict=True)]
    reader = Reader(minutes.store, lambda: minutes.now_us)
    (server,) = servers_in(reader, "fleet")
    span = Span(minutes.first_us, minutes.now_us + MINUTE_US)
    with minutes.store.read() as session:
        rows = segments.read(session, [server.id], "table", span.since_us, span.until_us)
    passed = counted_s(reader, server, rows, span)
    seen = [
        table.scans_per_s, table.rows_by_scan_per_s, table.lookups_per_s, table.rows_by_lookup_per_s, table.inserts_per_s,
        table.updates_per_s, table.in_place_updates_per_s, table.deletes_per_s,
    ]  # fmt: skip
    assert [value * passed for value in seen if value is not None] == pytest.approx(done)
    assert done[0] >= 7 and done[4] == 25 and done[5] == 340 and done[7] == 1000
    assert table.dead_rows == after[8] and table.changed_since == 25 + 340 + 1000
    heap, toast, indexes = owner.execute(
        "SELECT pg_relation_size('visit'), pg_table_size('visit') - pg_relation_size('visit'), pg_indexes_size('visit')"
    ).fetchone() or (0, 0, 0)
    assert (table.heap_bytes, table.other_bytes, table.index_bytes) == (heap, toast, indexes)
    by_name = {index.name: index for index in table.indexes}
    lookups = owner.execute(
        "SELECT indexrelname, idx_scan, idx_tup_read FROM pg_stat_user_indexes WHERE relname = 'visit'"
    )
    counts = {name: scans for name, scans, _ in lookups.fetchall()}
    assert {name: by_name[name].lookups_counted for name in counts} == counts and counts["visit_paid"] >= 7
    assert by_name["visit_pkey"].constraint == "primary key" and by_name["visit_paid"].columns == ["branch", "paid"]


def test_what_a_table_and_its_indexes_need_is_what_writing_them_anew_takes(
    minutes: Minutes, owner: psycopg.Connection
) -> None:
    minutes.look()
    owner.execute("DELETE FROM visit WHERE id % 5 < 3")
    owner.execute("VACUUM ANALYZE visit")
    minutes.look()
    minutes.look()
    (before,) = [one for one in minutes.objects().tables if one.name == "visit"]
    needed = {index.name: index.needed_bytes for index in before.indexes}
    owner.execute("VACUUM FULL visit")
    heap = owner.execute("SELECT pg_relation_size('visit')").fetchone()
    sizes = owner.execute(
        "SELECT indexrelname, pg_relation_size(indexrelid) FROM pg_stat_user_indexes WHERE relname = 'visit'"
    )
    assert heap is not None and before.spare_bytes is not None
    assert before.heap_bytes - before.spare_bytes == pytest.approx(heap[0], rel=0.1)
    for name, size in sizes.fetchall():
        assert needed[name] == pytest.approx(size, rel=0.15, abs=2 * 8192), name


def test_a_sequence_ends_with_the_type_of_its_column(minutes: Minutes, owner: psycopg.Connection) -> None:
    owner.execute("CREATE SEQUENCE ticket_number START 2147480000")
    owner.execute(
        "CREATE TABLE ticket (id int DEFAULT nextval('ticket_number'), small smallserial, big bigint GENERATED ALWAYS AS IDENTITY)"
    )
    owner.execute("INSERT INTO ticket SELECT FROM generate_series(1, 1000)")
    minutes.look()
    found = {one.name: one for one in minutes.objects().sequences}
    owner.execute("DROP TABLE ticket")
    owner.execute("DROP SEQUENCE ticket_number")
    number, small, big = (found[name] for name in ("ticket_number", "ticket_small_seq", "ticket_big_seq"))
    assert (number.value, number.most, number.type, number.column) == (2147480999, 2**31 - 1, "integer", "ticket.id")
    assert number.used == pytest.approx(2147480998 / (2**31 - 2))
    assert (small.most, small.type, small.used) == (32767, "smallint", pytest.approx(999 / 32766))
    assert (big.most, big.type) == (2**63 - 1, "bigint")


def test_changes_of_the_schema_are_seen_at_the_next_look(minutes: Minutes, owner: psycopg.Connection) -> None:
    minutes.look()
    owner.execute("DROP INDEX visit_paid")
    owner.execute("ALTER TABLE visit ADD COLUMN note text")
    owner.execute("ALTER TABLE visit ALTER COLUMN branch TYPE int")
    owner.execute("ALTER TABLE visit SET (autovacuum_enabled = false)")
    owner.execute("VACUUM ANALYZE visit")
    minutes.look()
    found = {one.title: (one.object, one.before, one.after) for one in minutes.changes("schema")}
    assert found == {
        "table visit was created": ("visit", "", "table"),
        "index visit_paid on visit (branch, paid) was dropped": ("visit_paid", "visit (branch, paid)", ""),
        "column visit.note was added": ("visit", "", "text"),
        "column visit.branch changed from smallint to integer": ("visit", "smallint", "integer"),
        "option autovacuum_enabled of visit changed from its default to false": ("visit", "", "false"),
    }
    assert {one.title for one in minutes.changes("upkeep")} >= {"upkeep run on visit", "statistics gathered of visit"}
    (table,) = [one for one in minutes.objects().tables if one.name == "visit"]
    assert table.options == {"autovacuum_enabled": "false"} and table.upkeep_us and table.statistics_us
    minutes.look()
    assert len(minutes.changes("schema")) == 5, "a schema that is the same is no change"


def test_where_a_table_lies_and_that_it_moved(minutes: Minutes, owner: psycopg.Connection) -> None:
    owner.execute("SET allow_in_place_tablespaces = on")
    owner.execute("CREATE TABLESPACE far LOCATION ''")
    minutes.look()
    (before,) = [one for one in minutes.objects().tables if one.name == "visit"]
    file = owner.execute("SELECT pg_relation_filepath('visit_branch')").fetchone()
    index = next(one for one in before.indexes if one.name == "visit_branch")
    assert (before.place, index.place, (index.file,)) == ("pg_default", "pg_default", file)
    owner.execute("ALTER TABLE visit SET TABLESPACE far")
    minutes.look()
    (after,) = [one for one in minutes.objects().tables if one.name == "visit"]
    assert after.place == "far" and after.file.startswith("pg_tblspc/") and after.indexes[0].place == "pg_default"
    assert [one.title for one in minutes.changes("schema")][-1] == "table visit moved from pg_default to far"
    owner.execute("ALTER TABLE visit SET TABLESPACE pg_default")
    owner.execute("DROP TABLESPACE far")


def test_a_table_that_is_locked_whole_holds_up_nothing(minutes: Minutes, owner: psycopg.Connection) -> None:
    minutes.look()
    with psycopg.connect(owner.info.dsn) as other:
        other.execute("LOCK TABLE visit IN ACCESS EXCLUSIVE MODE")
        minutes.look()
        (table,) = [one for one in minutes.objects().tables if one.name == "visit"]
        assert table.heap_bytes > 0 and table.rows == 50_000
        other.rollback()
