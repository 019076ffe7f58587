"""Tables and indexes of hand-made rows: rates over the time in which they were counted, and unknown where nothing was."""

from __future__ import annotations

from typing import Any

import pytest

from hardy_gauge.capture.object_intervals import ObjectIntervals, object_frame, objects_of_schema
from hardy_gauge.core.evidence.schema_changes import schema_changes
from hardy_gauge.core.narrative.changes import upkeep_words
from hardy_gauge.core.time.span import MINUTE_US
from hardy_gauge.probes import protocol as p
from hardy_gauge.queries.objects import ServerObjects, objects_of
from hardy_gauge.queries.scope import server_named
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Snapshot
from tests.queries.builder import HOUR, NOW, Built

INDEX = p.IndexFacts(name="loan_pk", table="loan", columns=["id"], unique=True, bytes=8192)
TABLE = p.Table(
    name="loan", rows=10, bytes=8192, columns=[p.Column(name="id", type="int", width_bytes=4)], indexes=[INDEX],
    inserts=5, updates=0, deletes=0,
)  # fmt: skip


def look(minute: int, scans: float | None, lookups: float | None) -> p.Objects:
    table = p.TableCounters(name="loan", rows=10, heap_bytes=8192, scans=scans, rows_by_scan=scans and scans * 10)
    index = p.IndexCounters(name="loan_pk", table="loan", bytes=8192, lookups=lookups)
    return p.Objects(at_us=minute * MINUTE_US, started_at_us=1, tables=[table], indexes=[index])


def stored(store: Store, looks: dict[int, p.Objects], metric_from: int) -> ServerObjects:
    """As recorded at minutes of the hour, with counters of the server from a minute on."""
    built = Built(store)
    number = built.server("a", abilities=["counters", "schema", "objects"])
    built.minutes(number, HOUR.since_us + metric_from * MINUTE_US, NOW, 1.0)
    intervals = ObjectIntervals()
    for minute, answer in looks.items():
        intervals.look(answer, HOUR.since_us + minute * MINUTE_US)
    tables, indexes, *_ = intervals.taken()
    built.rows(number, "table", object_frame("table", tables))
    built.rows(number, "index", object_frame("index", indexes))
    body = p.Schema(at_us=NOW, database="library", tables=[TABLE]).model_dump()
    with store.write() as session:
        session.add(Snapshot(server_id=number, kind="schema", taken_us=NOW, body=body))
    return objects_of(built.reader, server_named(built.reader, "a"), HOUR)


def test_rates_are_over_the_time_in_which_tables_were_counted(store: Store) -> None:
    """From the thirtieth minute on: 1,800 s, in which 90 scans of ten rows were made and no lookup."""
    found = stored(store, {30: look(30, 10, 4), 45: look(45, 100, 4)}, 0)
    (table,) = found.tables
    assert (table.scans_per_s, table.rows_by_scan_per_s) == pytest.approx((90 / 1800, 900 / 1800))
    assert table.indexes[0].lookups_per_s == 0.0, "counted, and none was made"
    assert found.sentence == "a has one table; whole scans read few rows of them."


def test_what_is_not_reported_is_not_zero(store: Store) -> None:
    (table,) = stored(store, {30: look(30, None, None), 45: look(45, None, None)}, 0).tables
    assert table.scans_per_s is None and table.indexes[0].lookups_per_s is None and table.inserts_per_s is None


def test_of_one_look_no_rate_is_known(store: Store) -> None:
    found = stored(store, {60: look(60, 10, 4)}, 0)
    assert found.tables[0].scans_per_s is None
    assert found.sentence == "a has one table; what was read of them in this window is not known."


def test_an_old_probe_reports_writes_alone() -> None:
    intervals = ObjectIntervals()
    intervals.look(objects_of_schema(p.Schema(at_us=MINUTE_US, database="library", tables=[TABLE])), MINUTE_US)
    later = TABLE.model_copy(update={"inserts": 12.0})
    intervals.look(objects_of_schema(p.Schema(at_us=2 * MINUTE_US, database="library", tables=[later])), 2 * MINUTE_US)
    first, second = intervals.taken()[0]
    assert (first["inserts"], second["inserts"], second.get("scans")) == (0.0, 7.0, None)


def test_what_did_nothing_makes_a_row_each_hour_alone() -> None:
    intervals = ObjectIntervals()
    for minute in range(125):
        intervals.look(look(minute, 10, 4), minute * MINUTE_US)
    assert [row["at_us"] // MINUTE_US for row in intervals.taken()[0]] == [0, 59, 119]


def changed(**more: Any) -> list[str]:
    before = p.Schema(at_us=1, database="library", tables=[TABLE]).model_dump()
    after = p.Schema(at_us=2, database="library", tables=[TABLE.model_copy(update=more)]).model_dump()
    return [one.title for one in schema_changes(before, after)]


def test_changes_of_a_schema() -> None:
    assert changed() == [] and changed(rows=99.0, inserts=9.0) == [], "what is counted is no change of the schema"
    assert changed(indexes=[INDEX.model_copy(update={"valid": False})]) == [
        "index loan_pk on unique loan (id), not valid changed from unique loan (id) to unique loan (id), not valid"
    ]
    partial = INDEX.model_copy(update={"name": "open", "unique": False, "predicate": "returned IS NULL"})
    assert changed(indexes=[INDEX, partial]) == ["index open on loan (id) where returned IS NULL was created"]
    assert changed(columns=[]) == ["column loan.id was dropped"]


def test_upkeep_of_many_tables_is_one_line() -> None:
    assert upkeep_words("statistics", ["a", "b", "c", "d"]) == "statistics gathered of a, b, c and 1 more table"
    assert upkeep_words("upkeep", ["a"]) == "upkeep run on a"
