"""Two sides beside each other, from a store whose contents are known."""

from __future__ import annotations

import numpy as np
import pytest

from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, Span
from hardy_gauge.core.time.window import Reference, Window
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.compare import comparison, sides_of
from hardy_gauge.queries.compare_sides import Asked, Of
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Change, Server, Snapshot
from tests.queries.builder import HOUR, NOW, Built

BEFORE = HOUR.moved(-HOUR_US)


@pytest.fixture
def built(store: Store) -> Built:
    """On a, calls take twice as long in the last hour; b is as a was; one call of a waits for its data then."""
    built = Built(store)
    statement = built.statement("SELECT due FROM loan")
    for name in ("a", "b"):
        number = built.server(name, host={"cores": 8 if name == "a" else 16})
        slow = 2.0 if name == "a" else 1.0
        built.minutes(
            number, NOW - 2 * HOUR_US, NOW,
            lambda at, s=slow: np.where(at >= HOUR.since_us, s, 1.0) + 0.02 * (at // MINUTE_US % 3),  # type: ignore[misc]
        )  # fmt: skip
        built.calls(number, statement, NOW - 2 * HOUR_US, HOUR.since_us, 10.0, 0.1)
        built.calls(number, statement, HOUR.since_us, NOW, 10.0, 0.1 * slow)
        built.sessions(number, Span(NOW - 2 * HOUR_US, NOW), 1, statement)
    built.sessions(1, HOUR, 1, statement, "data read")
    return built


def test_two_windows_of_one_server(built: Built) -> None:
    found = comparison(built.reader, Asked("a", BEFORE), Asked("a", HOUR))
    by_name = {one.name: one for one in found.figures}
    assert by_name["active_sessions"].shown == "shown" and by_name["active_sessions"].ratio == pytest.approx(
        1.98, abs=0.02
    )
    assert by_name["calls_per_s"].shown == "no difference shown" and by_name["calls_per_s"].ratio == pytest.approx(1.0)
    assert found.explained is not None
    assert (found.explained.calls, found.explained.mix) == pytest.approx((0.0, 0.0), abs=1e-9)
    assert found.explained.per_call == pytest.approx(1.0) and found.explained.whole == pytest.approx(1.0)
    assert (
        "most of it because calls take longer" in found.sentence
        and "SELECT due FROM loan adds 1 of 1 sessions" in found.sentence
    )
    assert found.figures[0].shown == "shown", "what differs comes first"


def test_two_servers_with_their_settings_schema_and_hosts(store: Store, built: Built) -> None:
    def table(*indexes: str) -> dict[str, object]:
        columns = [{"name": "due", "type": "date"}]
        return {"tables": [{"name": "loan", "columns": columns, "indexes": [
            {"name": name, "table": "loan", "columns": ["due"], "unique": False, "primary": False} for name in indexes
        ]}]}  # fmt: skip

    with store.write() as session:
        for number, value in ((1, 4), (2, 64)):
            cache = {"name": "cache", "value": value * 2**20, "unit": "B", "concerns": "work"}
            same = {"name": "pages", "value": 8192, "unit": "B", "concerns": "work"}
            session.add(Snapshot(server_id=number, kind="settings", taken_us=NOW, body={"settings": [cache, same]}))
            body = table("loan_due") if number == 2 else table()
            session.add(Snapshot(server_id=number, kind="schema", taken_us=NOW, body=body))
    found = comparison(built.reader, Asked("b", HOUR), Asked("a", HOUR))
    unlike = {(one.kind, one.name): (one.left, one.right) for one in found.unlike}
    assert unlike[("setting", "cache")] == ("64 MiB", "4 MiB") and ("setting", "pages") not in unlike
    assert unlike[("host", "cores")] == ("16", "8")
    assert any(kind == "schema" and name == "loan_due" for kind, name in unlike)
    assert found.right.words == "a" and found.left.words == "b"


def test_what_was_set_between_two_windows(store: Store, built: Built) -> None:
    with store.write() as session:
        session.add(
            Change(
                server_id=1,
                at_us=HOUR.since_us + 1,
                kind="setting",
                title="cache set",
                object="cache",
                before="1",
                after="2",
            )
        )
    there = comparison(built.reader, Asked("a", BEFORE), Asked("a", HOUR))
    back = comparison(built.reader, Asked("a", HOUR), Asked("a", BEFORE))
    assert [(one.left, one.right) for one in there.unlike] == [("1", "2")]
    assert [(one.left, one.right) for one in back.unlike] == [("2", "1")]


def test_one_service_against_another(built: Built) -> None:
    found = comparison(built.reader, Asked("a", HOUR, Of(service="s")), Asked("a", HOUR, Of(service="none such")))
    assert {one.group for one in found.figures} == {"waits"}
    assert next(one for one in found.figures if one.name == "all").ratio == 0.0


def test_the_sides_of_an_address(built: Built) -> None:
    week = Window(HOUR), Asked("a", HOUR.moved(-7 * DAY_US))
    window = Window(HOUR, Reference("window", BEFORE)), Asked("a", BEFORE)
    server = Window(HOUR, Reference("server", server="b")), Asked("b", HOUR)
    for asked, left in (week, window, server):
        assert sides_of(built.reader, asked, "a", "", Of(), Of()) == (left, Asked("a", HOUR))
    assert sides_of(built.reader, Window(HOUR), "a", "b", Of(), Of())[0] == Asked("b", HOUR)
    assert sides_of(built.reader, Window(HOUR), "a", "", Of(user="x"), Of(user="y"))[0] == Asked(
        "a", HOUR, Of(user="x")
    )


def test_nothing_to_compare(built: Built) -> None:
    with pytest.raises(InvalidInput, match="both sides are the same"):
        comparison(built.reader, Asked("a", HOUR), Asked("a", HOUR))
    found = comparison(built.reader, Asked("a", HOUR.moved(-30 * DAY_US)), Asked("a", HOUR))
    assert found.explained is None and "cannot be compared" in found.sentence
    assert all(one.shown == "cannot tell" for one in found.figures)


def test_a_server_that_is_not_recorded_for_a_while_is_no_fall_of_the_cluster(store: Store) -> None:
    """Of two members one was recorded for half the time: the minutes of both count, each with its own seconds."""
    built = Built(store)
    statement = built.statement("SELECT due FROM loan")
    for name, since in (("a", HOUR.since_us), ("b", NOW - HOUR_US // 2)):
        number = built.server(name)
        built.minutes(number, BEFORE.since_us, BEFORE.until_us, 1.0)
        built.minutes(number, since, NOW, 1.0)
        built.calls(number, statement, BEFORE.since_us, BEFORE.until_us, 10.0, 0.1)
        built.calls(number, statement, since, NOW, 10.0, 0.1)
    found = comparison(built.reader, Asked("quay", BEFORE), Asked("quay", HOUR))
    load = next(one for one in found.figures if one.name == "active_sessions")
    assert (load.left, load.right, load.ratio) == pytest.approx((2.0, 2.0, 1.0))
    assert found.explained is not None and (found.explained.left, found.explained.right) == pytest.approx((2.0, 2.0))


def test_servers_that_one_side_lacks_are_named(store: Store, built: Built) -> None:
    built.server("c")
    found = comparison(built.reader, Asked("quay", BEFORE), Asked("quay", HOUR))
    assert list(found.notes) == ["Not recorded on the left: c.", "Not recorded on the right: c."]


def test_a_bundle_of_another_time_is_a_side_of_its_own(built: Built) -> None:
    """A file that was recorded a month ago is compared whole with the present; one that reaches into the focus by the focus."""
    past = Span(NOW - 30 * DAY_US, NOW - 30 * DAY_US + HOUR_US)
    number = built.server("old", cluster="files", address="bundle:abc/old")
    built.minutes(number, past.since_us, past.until_us, 0.5)
    with built.store.write() as session:
        session.get_one(Server, number).capture.recorded_until_us = past.until_us
    left, right = sides_of(built.reader, Window(HOUR), "a", "old", Of(), Of())
    assert (left, right) == (Asked("old", past), Asked("a", HOUR))
    found = comparison(built.reader, left, right)
    assert "old" in found.left.words and next(one for one in found.figures if one.name == "active_sessions").ratio
    assert sides_of(built.reader, Window(past), "a", "old", Of(), Of())[0] == Asked("old", past)
    assert sides_of(built.reader, Window(HOUR), "old", "a", Of(), Of())[1] == Asked("old", past), (
        "as the right side too"
    )
