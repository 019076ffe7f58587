"""Volumes fill with what really grows, and a full one stops writes."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from practice_fleet import frames
from practice_fleet.fleet import Fleet
from practice_fleet.history import History
from practice_fleet.live import LiveServer
from practice_fleet.operations.host import GrowVolume
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.server import HOUR_US, MINUTE_US
from practice_fleet.traces import example_of
from tests.practice.shelf import NOW, history


def trouble(cause: str, **more: Any) -> list[dict[str, Any]]:
    return [{"cause": cause, "servers": ["shelf-a"], "start_minutes_ago": 0} | more]


def level(made: History, name: str, at_us: int) -> float:
    return float(frames.metric_frame(made, at_us, at_us + MINUTE_US)[name][0])


def test_a_full_volume_stops_writes_and_says_so_and_room_ends_it() -> None:
    """Full in three hours: 38 GB free at 12.66 GB an hour."""
    made = history(troubles=trouble("storage_filling", size="12.66 GB"))
    live = LiveServer(made, NOW)
    full = NOW + 3 * HOUR_US
    early, late = (
        frames.statement_frame(made, a, a + 10 * MINUTE_US) for a in (full - 30 * MINUTE_US, full + 10 * MINUTE_US)
    )
    assert early["errors"].sum() == 0
    writes = late.filter(late["statement_key"] == "count_reading")
    assert writes["errors"].sum() == writes["calls"].sum() > 0
    assert late.filter(late["statement_key"] == "find_book")["errors"].sum() == 0, "reading goes on"
    assert level(made, "volume_used.data", full + 20 * MINUTE_US) == 50e9 // PAGE_BYTES * PAGE_BYTES
    said = live.messages(full - HOUR_US, full + HOUR_US).messages
    assert {m.text for m in said} == {"a file could not be extended: no space is left on the volume"}
    live.do(GrowVolume(full + 30 * MINUTE_US, volume="data", capacity=400_000_000_000))
    again = frames.statement_frame(made, full + 60 * MINUTE_US, full + 70 * MINUTE_US)
    assert again["errors"].sum() == 0


@pytest.mark.parametrize(
    "cause", ["bloat", "upkeep_off", "storage_filling", "temporary_files_fill", "stale_statistics"]
)
def test_what_grows_takes_room(cause: str) -> None:
    own = {
        "bloat": {"table": "book", "size": 0.1}, "storage_filling": {"table": "book", "size": "1 GB"},
        "temporary_files_fill": {"table": "book", "size": "1 GB"}, "stale_statistics": {"table": "book", "size": 4},
    }  # fmt: skip
    ill, well = history(troubles=trouble(cause, **own.get(cause, {}))), history()
    more = [
        level(ill, "volume_used.data", NOW + h * HOUR_US) - level(well, "volume_used.data", NOW + h * HOUR_US)
        for h in (1, 3, 6)
    ]
    pages = ill.server.state(NOW + 6 * HOUR_US).catalogue.tables["book"].pages
    if cause == "stale_statistics":  # before the load there was a quarter of the rows
        before = level(ill, "volume_used.data", NOW - HOUR_US) - level(well, "volume_used.data", NOW - HOUR_US)
        assert more == [0, 0, 0] and before == pytest.approx(-0.75 * pages * PAGE_BYTES, rel=0.01)
    else:
        assert (np.diff(more) > 0).all() and more[2] / more[1] == pytest.approx(2, rel=0.15)


def test_log_kept_for_a_lost_replica_fills_the_volume_of_the_log(scenario: Scenario) -> None:
    fleet = Fleet(example_of(scenario, "log_kept_for_lost_replica"), NOW)
    made = fleet.histories["desk-a"]
    grown = level(made, "volume_used.log", NOW + 2 * HOUR_US) - level(made, "volume_used.log", NOW)
    assert grown == pytest.approx(1e9, rel=0.01)
    assert level(made, "replicas_connected", NOW + HOUR_US) == level(made, "replicas_connected", NOW - HOUR_US) - 1


def test_copies_that_move_take_room_on_the_members_left(scenario: Scenario) -> None:
    """With one copy of each partition, all that the lost member held is copied to the three others."""
    fleet = Fleet(example_of(scenario, "member_down"), NOW)
    made = fleet.histories["kiosk-a"]
    grown = level(made, "volume_used.data", NOW + 50 * MINUTE_US) - level(made, "volume_used.data", NOW - MINUTE_US)
    pages = sum(t.pages for t in made.server.state(NOW - HOUR_US).catalogue.tables.values())
    assert grown == pytest.approx(pages * PAGE_BYTES * 2 / 3, rel=0.05)


def test_the_age_of_transactions_follows_commits() -> None:
    made = history()
    at = NOW + HOUR_US
    rate = float(frames.metric_frame(made, NOW - 9 * HOUR_US, at)["commits"].sum()) / (10 * 3600)
    aged = level(made, "transaction_age", at)
    assert 0.3 < aged / (rate * 10 * 3600) < 1.2, "since three in the morning, at the week's mean rate"
    ill = history(troubles=trouble("transaction_age", size=360_000))
    job = level(ill, "commits", NOW + HOUR_US) - level(made, "commits", NOW + HOUR_US)
    assert job == pytest.approx(6000, rel=0.02), "a hundred a second"
    assert level(ill, "transaction_age", NOW + 40 * HOUR_US) > 40 * 360_000
    tables = {t.name: t for t in LiveServer(ill, NOW).objects(NOW + 40 * HOUR_US).tables}
    assert tables["book"].transaction_age == pytest.approx(level(ill, "transaction_age", NOW + 40 * HOUR_US), rel=0.01)
    assert LiveServer(ill, NOW).schema(NOW + HOUR_US).tables[0].options == {"upkeep_enabled": "off"}
