"""What is made of hours: as if it were made of all rows at once, and anew when something is brought in."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, Span
from hardy_gauge.queries.calls_met import called, met_in, statements_met
from hardy_gauge.queries.hourly import hourly
from hardy_gauge.queries.plan_changes import plan_changes_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.waited import waited_by_server
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server, Statement
from tests.queries.builder import Built

NOW = 40 * HOUR_US
COLUMNS = ("statement", "calls", "time_s", "plan_key")


@pytest.fixture
def recorded(store: Store) -> tuple[Reader, list[Server], pl.DataFrame]:
    """Two servers of nine hours and a half, with pauses, and plans that change seldom."""
    built, rng, frames = Built(store), np.random.default_rng(4), []
    servers = [built.server(name) for name in ("a", "b")]
    for server in servers:
        at = np.arange(NOW - 9 * HOUR_US - 30 * MINUTE_US, NOW, MINUTE_US)
        calls = np.where(rng.random(len(at)) < 0.1, 0.0, rng.integers(1, 9, len(at)))
        plans = np.where(np.cumsum(rng.random(len(at)) < 0.01) % 2, "old", "new")
        frame = pl.DataFrame(
            {"at_us": at, "statement": np.int32(1), "calls": calls, "time_s": calls / 7, "plan_key": plans}
        )
        for part in np.array_split(np.arange(len(at)), 20):
            with store.write() as session:
                segments.append(session, server, "statement", frame[part.tolist()])
        frames.append(frame.with_columns(pl.lit(server, dtype=pl.Int32).alias("server_id")))
    reader = Reader(store, lambda: NOW)
    with store.read() as session:
        owners = [session.get_one(Server, server) for server in servers]
    return reader, owners, pl.concat(frames)


@pytest.mark.parametrize("since_us", [NOW - 9 * HOUR_US, NOW - 7 * HOUR_US + 17 * MINUTE_US, NOW - 20 * MINUTE_US])
def test_hours_add_up_to_the_whole(recorded: tuple[Reader, list[Server], pl.DataFrame], since_us: int) -> None:
    reader, servers, rows = recorded
    inside = rows.filter(pl.col("at_us") >= since_us)
    at_once = called(statements_met(inside)).sort("server_id")
    for _ in range(2):  # made, then kept
        assert called(met_in(reader, servers, Span(since_us, NOW))).sort("server_id").equals(at_once)


def test_plans_that_change_are_told_as_from_all_rows(recorded: tuple[Reader, list[Server], pl.DataFrame]) -> None:
    reader, servers, rows = recorded
    used = rows.filter(pl.col("calls") > 0).sort("server_id", "at_us")
    turned = used.filter((pl.col("plan_key") != pl.col("plan_key").shift().over("server_id")).fill_null(False))
    with reader.store.write() as session:
        session.add(Statement(id=1, fingerprint="f", text="SELECT 1", kind="select", first_seen_us=0))
    found = plan_changes_of(reader, servers, Span(NOW - 12 * HOUR_US, NOW), 100)
    assert len(turned) > 3 and {(one.server_id, one.at_us) for one in found} == set(
        turned.select("server_id", "at_us").iter_rows()
    )
    each = used.group_by("server_id", "plan_key").agg((pl.col("time_s").sum() / pl.col("calls").sum()).alias("s"))
    expected = {(server, plan): s for server, plan, s in each.iter_rows()}
    assert all(one.after_s == pytest.approx(expected[one.server_id, one.after]) for one in found)


def test_what_is_brought_in_later_counts(recorded: tuple[Reader, list[Server], pl.DataFrame]) -> None:
    reader, servers, _ = recorded
    span = Span(NOW - 6 * HOUR_US, NOW - HOUR_US)
    before = met_in(reader, servers, span)
    late = pl.DataFrame(
        {
            "at_us": [NOW - 3 * HOUR_US + 7],
            "statement": pl.Series([2], dtype=pl.Int32),
            "calls": [1.0],
            "time_s": [1.0],
            "plan_key": ["x"],
        }
    )
    with reader.store.write() as session:
        segments.append(session, servers[0].id, "statement", late)
    after = met_in(reader, servers, span)
    assert 2 in after["statement"].to_list() and len(after) == len(before) + 1
    with reader.store.write() as session:
        segments.compact(session, NOW + 48 * HOUR_US)
    assert (
        called(met_in(reader, servers, span))
        .sort("server_id", "statement")
        .equals(called(after).sort("server_id", "statement"))
    )


def test_nothing_recorded(store: Store) -> None:
    assert hourly(Reader(store, lambda: NOW), [], "statement", Span(0, NOW), COLUMNS, statements_met).is_empty()


@pytest.mark.parametrize("since_us", [NOW - 9 * HOUR_US, NOW - 3 * HOUR_US + 7 * MINUTE_US, NOW - 9 * MINUTE_US])
def test_time_waited_for_others_adds_up(store: Store, since_us: int) -> None:
    built, rng = Built(store), np.random.default_rng(6)
    servers, frames = [built.server(name) for name in ("a", "b", "idle")], []
    for server in servers[:2]:
        at = np.sort(rng.integers(NOW - 9 * HOUR_US, NOW, 4000))
        blockers = [[7] if held else [] for held in rng.random(len(at)) < 0.1 * server]
        frame = pl.DataFrame(
            {"at_us": at, "session": 1, "blockers": blockers, "weight": rng.choice([1.0, 10.0], len(at))}
        )
        for part in np.array_split(np.arange(len(at)), 5):
            built.rows(server, "sample", frame[part.tolist()])
        frames.append(frame.with_columns(pl.lit(server, dtype=pl.Int32).alias("server_id")))
    built.rows(servers[2], "sample", pl.DataFrame({"at_us": [NOW - 1], "session": [1]}))
    reader = Reader(store, lambda: NOW)
    with store.read() as session:
        owners = [session.get_one(Server, server) for server in servers]
    inside = pl.concat(frames).filter((pl.col("at_us") >= since_us) & (pl.col("blockers").list.len() > 0))
    expected = dict(inside.group_by("server_id").agg(pl.col("weight").sum()).iter_rows())
    for _ in range(2):  # made, then kept
        assert waited_by_server(reader, owners, Span(since_us, NOW)) == pytest.approx(expected)
    assert waited_by_server(reader, owners[2:], Span(since_us, NOW)) == {} == waited_by_server(reader, [], Span(0, NOW))
