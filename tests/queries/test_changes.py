"""Everything that changed in a window, what followed, and what people note: from a store whose contents are known."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np
import polars as pl
import pytest
from sqlalchemy import select

from hardy_gauge.capture.changes import record_host_changes, record_identity_changes
from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, Span
from hardy_gauge.errors import Conflict, InvalidInput, NotFound
from hardy_gauge.probes.protocol import Identity
from hardy_gauge.queries.changes import changes_in
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.change_notes import note_change, take_back_note
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Change, Server, Statement, StoredFinding
from tests.queries.builder import HOUR, NOW, Built
from tests.queries.test_improvement import SLOW

CHANGED = NOW - 30 * MINUTE_US


@pytest.fixture
def built(store: Store) -> Built:
    """Server a takes twice the time since half an hour, server b takes as much as before."""
    built = Built(store)
    for name, factor in (("a", 2.0), ("b", 1.0)):
        number = built.server(name)
        built.minutes(
            number, NOW - 3 * HOUR_US, NOW,
            lambda at, f=factor: np.where(at >= CHANGED, f, 1.0) + 0.01 * (at // MINUTE_US % 3),  # type: ignore[misc]
        )  # fmt: skip
    return built


def changed(store: Store, server: int, kind: str, title: str, at_us: int = CHANGED) -> None:
    with store.write() as session:
        session.add(
            Change(
                server_id=server, at_us=at_us, kind=kind, title=title, object="cache", before="1", after="2", who="ada"
            )
        )


def test_what_followed_is_shown_and_what_did_not_is_not(store: Store, built: Built) -> None:
    changed(store, 1, "setting", "cache changed from 1 to 2")
    changed(store, 2, "setting", "cache changed from 1 to 2 there")
    found = changes_in(built.reader, "fleet", HOUR)
    by_server = {row.server: row for row in found.changes}
    assert by_server["a"].shown == "shown" and by_server["b"].shown == "no difference shown"
    assert by_server["a"].words == "time per call 2× (2× to 2×), and 1 other figure"
    assert (by_server["a"].before, by_server["a"].after, by_server["a"].who) == ("1", "2", "ada")
    assert found.leads is not None and found.changes[found.leads].server == "a"
    assert "on a at 14:30: time per call 2×" in found.sentence and "after 1 of them" in found.sentence


def test_search_and_kinds_narrow_and_the_kinds_are_counted_all_the_same(store: Store, built: Built) -> None:
    changed(store, 1, "setting", "cache changed from 1 to 2")
    changed(store, 1, "schema", "index loan_due on loan added", CHANGED + 60_000_000)
    assert [row.kind for row in changes_in(built.reader, "a", HOUR, ["schema"]).changes] == ["schema"]
    found = changes_in(built.reader, "a", HOUR, search="ADA loan_due")
    assert [row.title for row in found.changes] == ["index loan_due on loan added"]
    assert found.kinds == {"schema": 1, "setting": 1}
    assert found.changes[0].besides == ["cache changed from 1 to 2"]
    none = changes_in(built.reader, "a", HOUR, search="nothing like it")
    assert none.changes == [] and "Nothing that is asked for changed on a" in none.sentence


def test_a_plan_that_changed_and_a_statement_that_is_new(store: Store, built: Built) -> None:
    old, new = built.statement("SELECT due FROM loan"), built.statement("UPDATE loan SET due = ?")
    with store.write() as session:
        session.get_one(Statement, new).first_seen_us = CHANGED
    built.calls(1, old, NOW - HOUR_US, NOW, 5.0, 0.02)
    built.calls(1, new, CHANGED, NOW, 5.0, 0.02)
    found = changes_in(built.reader, "a", HOUR)
    assert [(row.kind, row.at_us, row.fingerprint) for row in found.changes] == [
        ("statement", CHANGED, "f-UPDATE loan ")
    ], "a statement that was known is not new"


def test_a_note_is_kept_once_and_can_be_taken_back(store: Store, built: Built) -> None:
    servers = servers_in(built.reader, "quay")
    with store.write() as session:
        first = note_change(session, servers, "deployment", " loans 4.2 ", "", CHANGED, "ada", NOW)
        again = note_change(session, servers, "deployment", "loans 4.2", "", CHANGED, "ada", NOW)
    assert first == again and len(first) == 2
    rows = changes_in(built.reader, "fleet", HOUR).changes
    assert [(row.title, row.kind, row.noted, row.who) for row in rows] == [("loans 4.2", "deployment", True, "ada")] * 2
    with store.write() as session:
        take_back_note(session, first[0])
    assert len(changes_in(built.reader, "fleet", HOUR).changes) == 1


def test_what_cannot_be_noted(store: Store, built: Built) -> None:
    servers = servers_in(built.reader, "a")
    with store.write() as session:
        with pytest.raises(InvalidInput, match="say in a line what changed"):
            note_change(session, servers, "note", "  ", "", NOW, "ada", NOW)
        with pytest.raises(InvalidInput, match="still to come"):
            note_change(session, servers, "note", "later", "", NOW + HOUR_US, "ada", NOW)
        with pytest.raises(NotFound):
            take_back_note(session, 99)
    changed(store, 1, "setting", "cache changed from 1 to 2")
    with store.write() as session, pytest.raises(Conflict, match="was seen on the server"):
        take_back_note(session, 1)


def test_an_empty_window_says_so(store: Store, built: Built) -> None:
    found = changes_in(built.reader, "fleet", Span(NOW - HOUR_US, NOW))
    assert found.changes == [] and found.sentence.startswith("Nothing changed on fleet")


def test_what_changed_within_the_hour_is_told_also_where_it_lies_before_the_window(store: Store, built: Built) -> None:
    changed(store, 1, "setting", "cache changed from 1 to 2", HOUR.since_us + MINUTE_US)
    changed(store, 1, "software", "the server started", HOUR.since_us - 10 * MINUTE_US)
    (row,) = changes_in(built.reader, "a", HOUR).changes
    assert row.besides == ["the server started"]
    assert row.before_span.endswith("14:01:00Z") and row.after_span.startswith("2026-11-24T14:02:00Z")


def test_a_statement_that_is_no_longer_called_and_one_that_pauses_each_night(store: Store) -> None:
    built = Built(store)
    server = built.server("a")
    built.minutes(server, NOW - 2 * DAY_US, NOW, 1.0)
    gone, nightly, busy = (built.statement(text) for text in ("SELECT gone", "SELECT nightly", "SELECT busy"))
    ended = NOW - 90 * MINUTE_US
    for day in (2, 1, 0):
        until = NOW - day * DAY_US
        built.calls(server, busy, until - 12 * HOUR_US, until, 1.0, 0.01)
        built.calls(server, nightly, until - 12 * HOUR_US, until - 90 * MINUTE_US, 1.0, 0.01)
        built.calls(server, gone, until - 12 * HOUR_US, until if day else ended, 1.0, 0.01)
    found = changes_in(built.reader, "fleet", Span(NOW - 3 * HOUR_US, NOW), ["statement"]).changes
    (row,) = [one for one in found if one.title == "statement no longer called"]
    assert (row.object, row.at_us, row.server) == ("SELECT gone", ended - MINUTE_US, "a")


def test_members_that_are_lost_and_come_back(store: Store) -> None:
    built = Built(store)
    server = built.server("a")
    at = np.arange(HOUR.since_us, NOW, MINUTE_US)
    minute = (at - HOUR.since_us) // MINUTE_US
    seen = np.where((minute >= 20) & (minute < 30), 4.0, 5.0)
    seen[40] = 3.0  # one look that was wrong
    built.rows(server, "metric", pl.DataFrame({"at_us": at, "span_s": 60.0, "members_seen": seen}))
    found = changes_in(built.reader, "fleet", HOUR, ["member"]).changes
    assert [(one.title, (one.at_us - HOUR.since_us) // MINUTE_US) for one in reversed(found)] == [
        ("sees 4 members of its cluster instead of 5", 20),
        ("sees 5 members of its cluster instead of 4", 30),
    ]


def test_other_hardware_is_seen_and_stays(store: Store) -> None:
    built = Built(store)
    server = built.server("a")
    before = {"cores": 8, "memory_bytes": 32 * 2**30, "volumes": [{"name": "data", "capacity_bytes": 2**40}]}
    after = {"cores": 16, "memory_bytes": 32 * 2**30, "volumes": [{"name": "data", "capacity_bytes": 2**41}]}
    with store.write() as session:
        record_host_changes(session, server, {}, before, CHANGED)
        record_host_changes(session, server, before, after, CHANGED)
    found = changes_in(built.reader, "a", HOUR, ["hardware"]).changes
    assert sorted(one.title for one in found) == [
        "cores changed from 8 to 16",
        "volume data changed from 1 TiB to 2 TiB",
    ]
    assert not any(one.noted for one in found)
    with store.write() as session, pytest.raises(Conflict):
        take_back_note(session, found[0].id or 0)


def test_another_version_and_another_role_are_seen(store: Store) -> None:
    built = Built(store)
    number = built.server("a")
    told = {"server": "a", "cluster": "c", "engine": "postgresql", "started_at_us": 0, "clock_us": 0}
    with store.write() as session:
        server = session.get_one(Server, number)
        server.role, server.engine_version = "replica", "15.4"
        for role, version in (("replica", "15.4"), ("single", "15.5"), ("primary", "15.5"), ("replica", "15.5")):
            identity = Identity.model_validate({**told, "role": role, "engine_version": version, "abilities": []})
            record_identity_changes(session, server, identity, CHANGED)
            server.role, server.engine_version = role, version
    found = changes_in(built.reader, "a", HOUR, ["software", "member"]).changes
    assert sorted(one.title for one in found) == [
        "role changed from primary to replica",
        "role changed from replica to single",
        "version changed from 15.4 to 15.5",
    ]


def test_findings_that_began_about_then_stand_with_the_change(store: Store, built: Built) -> None:
    changed(store, 1, "setting", "cache changed from 1 to 2")
    with store.write() as session:
        for since in (CHANGED + 10 * MINUTE_US, CHANGED - 2 * HOUR_US):
            row = StoredFinding(
                server_id=1, cause="missing_index", subject="f", since_us=since, seen_us=NOW, body=asdict(SLOW)
            )
            session.add(row)
    (row,) = changes_in(built.reader, "a", HOUR).changes
    assert [(one.title, one.grade) for one in row.findings] == [("Missing index", "act")]


def test_a_statement_whose_history_was_brought_in_is_not_new(store: Store, built: Built) -> None:
    old, new = built.statement("SELECT brought"), built.statement("SELECT made")
    with store.write() as session:
        for row in session.scalars(select(Statement)):
            row.first_seen_us = CHANGED
    built.calls(1, old, NOW - 2 * HOUR_US, NOW, 1.0, 0.01)
    built.calls(1, new, CHANGED, NOW, 1.0, 0.01)
    assert [one.object for one in changes_in(built.reader, "a", HOUR, ["statement"]).changes] == ["SELECT made"]
