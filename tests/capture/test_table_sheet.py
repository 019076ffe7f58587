"""A table's sheet and the list of indexes, from a real PostgreSQL: who touches it, which index serves whom, which foreign key has none."""

from __future__ import annotations

import psycopg
import pytest

from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.indexes_across import indexes_across
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.table_sheet import table_sheet_of
from hardy_gauge.store.database import Store
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched
from tests.truth.real_server import Looks

pytestmark = pytest.mark.postgres


def test_a_table_with_its_indexes_and_who_touches_it(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    owner = watched[0]
    owner.execute("CREATE TABLE copy (id int PRIMARY KEY, shelf text)")
    owner.execute("CREATE TABLE visit (id serial PRIMARY KEY, copy_id int REFERENCES copy, patron int, note text)")
    owner.execute("CREATE INDEX visit_patron ON visit (patron); CREATE INDEX visit_note ON visit (note)")
    owner.execute("INSERT INTO copy SELECT i, 'shelf ' || i FROM generate_series(1, 500) i")
    owner.execute(
        "INSERT INTO visit (copy_id, patron, note) SELECT 1 + i % 500, i % 3000, repeat('n', 40) || i FROM generate_series(1, 60000) i"
    )
    owner.execute("VACUUM ANALYZE")
    looks = Looks(store, collector)
    looks.minute()
    for number in range(60):
        owner.execute("SELECT note FROM visit WHERE patron = %s", [number]).fetchall()
        owner.execute("SELECT count(*) FROM copy WHERE shelf = %s", ["x"])
    looks.seconds(5)
    looks.minute()
    for _ in range(6):  # a look that a busy machine lets down is made up for by the next
        looks.minute()
        now = looks.now_us
        reader, focus = Reader(store, lambda now=now: now), Span(now - 60 * MINUTE_US, now + 1)  # type: ignore[misc]
        (server,) = servers_in(reader, "fleet")
        sheet = table_sheet_of(reader, server, "visit", focus)
        if any(one.text.startswith("SELECT note") for one in sheet.statements):
            break
    assert {one.name for one in sheet.columns} == {"id", "copy_id", "patron", "note"}
    patron = next(one for one in sheet.columns if one.name == "patron")
    assert patron.indexes == ["visit_patron"] and patron.distinct == pytest.approx(3000, rel=0.1)
    assert [
        one.text for one in sheet.statements if "patron" in one.text and "note" in one.text and "INSERT" not in one.text
    ]
    assert not any("copy WHERE" in one.text for one in sheet.statements)
    assert sheet.sentence.startswith("visit holds 60.0 thousand rows"), sheet.sentence
    assert (
        {one.name for one in sheet.table.indexes}
        == {"visit_pkey", "visit_patron", "visit_note"}
        == sheet.read_by.keys()
    )
    with pytest.raises(NotFound):
        table_sheet_of(reader, server, "nowhere", focus)
    found = indexes_across(reader, "fleet", focus)
    lines = {(one.table, one.index or ",".join(one.columns)): one for one in found.lines}
    assert lines["visit", "copy_id"].judged == "missing for a foreign key"
    assert lines["visit", "visit_note"].judged == "not read so far", "counted for some minutes only"
    assert ("visit", "visit_patron") not in lines, "it was read"
    owner.execute("DROP TABLE visit, copy")
