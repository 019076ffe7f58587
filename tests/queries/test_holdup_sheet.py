"""The sheet of holdups from a store whose waiting is known: times, objects, filters, reference, lanes."""

from __future__ import annotations

import polars as pl
import pytest

from hardy_gauge.core.time.span import DAY_US, SECOND_US, Span
from hardy_gauge.core.time.window import Reference, Window
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.holdup_sheet import Asked, holdup_sheet
from hardy_gauge.store.database import Store
from tests.queries.builder import HOUR, NOW, Built

BEGAN = NOW - 600 * SECOND_US
WINDOW = Window(HOUR)


def held(built: Built, server: int, statement: int, began_us: int, seconds: int, waiting: int, service: str) -> None:
    """Session 7 does nothing in its transaction, while ``waiting`` sessions wait for it, one behind the other from the third on."""
    rows = [
        {"at_us": began_us + s * SECOND_US, "session": 10 + n, "blockers": [7] if n < 2 else [9 + n], "user": "u", "service": service,
         "statement": statement, "wait_event": "row lock", "wait_family": "row lock"}
        for s in range(seconds) for n in range(waiting)
    ]  # fmt: skip
    types = {"statement": pl.Int32, "blockers": pl.List(pl.Int64)}
    built.rows(server, "sample", pl.DataFrame(rows, schema_overrides=types))
    holder = [
        {"at_us": began_us + s * SECOND_US, "weight": 1.0, "session": 7, "statement": statement, "user": "clerk",
         "service": "night desk", "database": "d", "client": "", "transaction_began_us": began_us - 9 * SECOND_US,
         "idle_since_us": began_us - 8 * SECOND_US}
        for s in range(seconds)
    ]  # fmt: skip
    built.rows(server, "holder", pl.DataFrame(holder, schema_overrides={"statement": pl.Int32}))


@pytest.fixture
def built(store: Store) -> Built:
    built = Built(store)
    a, b = built.server("a"), built.server("b")
    loans, holds = built.statement("UPDATE loan SET due = ?"), built.statement("DELETE FROM hold WHERE id = ?")
    for server in (a, b):
        built.sessions(server, HOUR, 1, loans)
        built.minutes(server, HOUR.since_us, NOW, 1.0)
    held(built, a, loans, BEGAN, 40, 3, "loans")
    held(built, b, holds, BEGAN, 20, 1, "holds")
    return built


def test_times_objects_and_who_held(built: Built) -> None:
    found = holdup_sheet(built.reader, WINDOW, "fleet", Asked())
    assert found.waited_s == 140.0 and found.waiting == pytest.approx(140 / 3600)
    first, second = found.trees
    assert (first.server, first.session, first.service, first.waited_s, first.depth, first.waiters) == (
        "a",
        7,
        "night desk",
        120.0,
        2,
        3,
    )
    assert (first.object, second.object) == ("loan", "hold")
    assert [(one.name, one.waited_s) for one in found.objects] == [("loan", 120.0), ("hold", 20.0)]
    assert sum(one.share for one in found.objects) == pytest.approx(1.0)
    assert [(one.name, one.waited_s) for one in found.events] == [("row lock", 140.0)]
    assert found.services == ["holds", "loans", "night desk"] and found.unknown == []
    assert (
        found.sentence.startswith("Sessions of fleet waited 2.33 min for each other") and "86% of it" in found.sentence
    )


def test_over_time_adds_up_to_what_was_waited(built: Built) -> None:
    found = holdup_sheet(built.reader, WINDOW, "fleet", Asked())
    step_s = found.over_time.step_us / SECOND_US
    assert sum(sum(values) for values in found.over_time.series.values()) * step_s == pytest.approx(found.waited_s)
    assert list(found.over_time.series) == ["idle in a transaction"]


@pytest.mark.parametrize(
    ("asked", "servers"),
    [
        (Asked(services=["holds"]), ["b"]),
        (Asked(services=["night desk"]), ["a", "b"]),
        (Asked(users=["nobody"]), []),
        (Asked(objects=["loan"]), ["a"]),
    ],
)
def test_filters_leave_trees_that_hold(built: Built, asked: Asked, servers: list[str]) -> None:
    found = holdup_sheet(built.reader, WINDOW, "fleet", asked)
    assert [tree.server for tree in found.trees] == servers
    assert found.waited_s == pytest.approx(sum(tree.waited_s for tree in found.trees))


def test_lanes_of_the_tree_that_is_asked_for(built: Built) -> None:
    found = holdup_sheet(built.reader, WINDOW, "fleet", Asked())
    other = holdup_sheet(built.reader, WINDOW, "fleet", Asked(tree=found.trees[1].key)).lanes
    assert found.lanes is not None and other is not None
    assert [(lane.session, lane.depth) for lane in found.lanes.lanes] == [(7, 0), (10, 1), (11, 1), (12, 2)]
    assert other.key == found.trees[1].key and [lane.session for lane in other.lanes] == [7, 10]
    assert found.lanes.statements[0].text == "UPDATE loan SET due = ?"
    with pytest.raises(InvalidInput, match="no key of a tree"):
        holdup_sheet(built.reader, WINDOW, "fleet", Asked(tree="nonsense"))


def test_the_reference_is_the_same_waiting_on_another_day(built: Built) -> None:
    day = Span(HOUR.since_us - DAY_US, HOUR.until_us - DAY_US)
    built.sessions(1, day, 1)
    built.minutes(1, day.since_us, day.until_us, 1.0)
    held(built, 1, 1, BEGAN - DAY_US, 20, 3, "loans")
    found = holdup_sheet(built.reader, Window(HOUR, Reference("window", day)), "a", Asked())
    assert found.reference is not None and found.reference.value == pytest.approx(60 / 3600)
    assert found.difference == "2× the reference"


def test_nobody_waited_and_nobody_looked(store: Store) -> None:
    built = Built(store)
    quiet = built.server("quiet")
    built.sessions(quiet, HOUR, 1)
    built.server("blind", abilities=["counters"])
    assert "was seen waiting" in holdup_sheet(built.reader, WINDOW, "quiet", Asked()).sentence
    blind = holdup_sheet(built.reader, WINDOW, "blind", Asked())
    assert "unknown" in blind.sentence and blind.unknown == ["blind does not report its sessions"]


def test_what_could_not_be_looked_at_is_told(store: Store, built: Built) -> None:
    built.server("away")
    found = holdup_sheet(built.reader, WINDOW, "fleet", Asked())
    assert found.unknown == ["away was not looked at in this window"]


def test_sessions_keep_their_numbers_where_only_some_are_followed(store: Store) -> None:
    built = Built(store)
    server, statement = built.server("a"), built.statement("UPDATE loan SET due = ?")
    rows = [
        {"at_us": BEGAN + s * SECOND_US, "session": n, "blockers": [7] if n == 10 else None, "user": "u", "service": "loans",
         "statement": statement, "wait_event": "row lock", "wait_family": "row lock", "weight": 2.0, "one_in": 2}
        for s in range(10) for n in (7, 10)
    ]  # fmt: skip
    types = {"statement": pl.Int32, "blockers": pl.List(pl.Int64)}
    built.rows(server, "sample", pl.DataFrame(rows, schema_overrides=types))
    found = holdup_sheet(built.reader, WINDOW, "a", Asked())
    (tree,) = found.trees
    assert (tree.session, tree.doing, tree.waited_s) == (7, "working", 20.0)
    assert "only one session in several is followed" in found.unknown[0]


def test_what_was_seen_a_moment_ago_may_go_on(store: Store, built: Built) -> None:
    held(built, 1, 1, NOW - 60 * SECOND_US, 30, 1, "loans")
    trees = holdup_sheet(built.reader, WINDOW, "fleet", Asked()).trees
    assert {one.from_us: one.goes_on for one in trees} == {BEGAN: False, NOW - 60 * SECOND_US: True}
