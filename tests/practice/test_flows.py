"""What servers send one another: log to replicas, and requests to a storage that they share."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from practice_fleet import frames
from practice_fleet.fleet import Fleet
from practice_fleet.flows.replication import DAY_MINUTES, _Day
from practice_fleet.live import LiveServer
from practice_fleet.operations.settings import SetSetting
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.reading import ScenarioError, load_scenario, shipped
from practice_fleet.server import HOUR_US, MINUTE_US

NOW = 1_795_521_600_000_000


def fleet(scenario: Scenario, clusters: set[str], *troubles: dict[str, Any], **shared: str) -> Fleet:
    """The demo's clusters of these names with troubles of one's own; ``shared`` puts a cluster on a storage."""
    document = scenario.model_dump(exclude={"troubles"})
    document["clusters"] = [c for c in document["clusters"] if c["name"] in clusters]
    for cluster in document["clusters"]:
        cluster["host"]["data_volume"]["shared_as"] = shared.get(cluster["name"])
    return Fleet(Scenario.model_validate(document | {"troubles": list(troubles)}), NOW)


def lag(made: Fleet, name: str, minutes_ago: float, minutes: int = 1) -> np.ndarray:
    at = NOW - int(minutes_ago) * MINUTE_US
    frame = frames.metric_frame(made.histories[name], at, at + minutes * MINUTE_US)
    return frame["replica_lag_s"].to_numpy()


def test_lag_is_that_of_a_queue_worked_off_in_order() -> None:
    """Against a plain loop over pages: who is done when, with uneven arrivals and a replica that stops for a time."""
    rng = np.random.default_rng(4)
    pages = rng.integers(0, 40, DAY_MINUTES) / 60
    capacity = np.where(np.arange(DAY_MINUTES) % 300 < 60, 0.0, 25.0)
    none = np.zeros(DAY_MINUTES)
    day = _Day(pages, none, pages * 1000, none, none, none, capacity, None)
    came = np.repeat(np.arange(DAY_MINUTES), (pages * 60).round().astype(int))
    done, room = 0, 0.0
    for minute in range(DAY_MINUTES):
        arrived = int((came <= minute).sum())
        room = min(room + capacity[minute], arrived - done)
        done, room = done + int(room), room - int(room)
        if minute % 37 == 0 or minute > DAY_MINUTES - 3:
            seconds, size = (float(found[0]) for found in day.lag(np.array([minute + 1.0])))
            waiting = arrived - done
            assert size == pytest.approx(waiting * 1000, abs=1500)
            behind = (minute + 1 - came[done]) * 60 if waiting else 0
            assert seconds == pytest.approx(behind, abs=61)


def test_a_day_carries_on_what_the_day_before_left() -> None:
    busy, none = np.full(DAY_MINUTES, 1.0), np.zeros(DAY_MINUTES)
    first = _Day(busy, none, busy, none, none, none, np.full(DAY_MINUTES, 30.0), None)
    second = _Day(none, none, none, none, none, none, np.full(DAY_MINUTES, 60.0), first)
    assert first.lag(np.array([DAY_MINUTES]))[0][0] == pytest.approx(DAY_MINUTES * 30, rel=1e-6)
    assert second.lag(np.array([360.0]))[0][0] == pytest.approx((DAY_MINUTES + 360 - 1080) * 60, rel=1e-6)
    assert second.lag(np.array([721.0]))[0][0] == 0


def test_a_slow_replica_falls_behind_and_catches_up(scenario: Scenario) -> None:
    slow = {
        "cause": "replica_behind",
        "servers": ["catalog-c"],
        "start_minutes_ago": 300,
        "end_minutes_ago": 240,
        "size": 300,
    }
    made = fleet(scenario, {"catalog"}, slow)
    assert lag(made, "catalog-c", 310)[0] < 0.01
    during = lag(made, "catalog-c", 290, 45)
    assert (np.diff(during) > 0).all() and 600 < during[-1] < 55 * 60
    assert lag(made, "catalog-c", 60)[0] < 0.01 < lag(made, "catalog-c", 240)[0]
    assert lag(made, "catalog-b", 250).max() < 0.01, "its peer is not touched"


def test_lag_comes_from_the_replicas_own_volume_too(scenario: Scenario) -> None:
    slow = {"cause": "data_volume_slow", "servers": ["catalog-b"], "start_minutes_ago": 120, "size": 60}
    assert lag(fleet(scenario, {"catalog"}, slow), "catalog-b", 60)[0] > 60


def test_more_indexes_on_the_primary_are_more_work_for_its_replicas(scenario: Scenario) -> None:
    more = {"cause": "write_amplification", "servers": ["catalog-a"], "table": "search_log", "start_minutes_ago": 120}
    made = fleet(scenario, {"catalog"}, more)
    frame = frames.metric_frame(made.histories["catalog-b"], NOW - 130 * MINUTE_US, NOW - 100 * MINUTE_US)
    written = frame["pages_written"].to_numpy()
    assert written[15:].mean() > 1.2 * written[:8].mean()


def test_a_long_reader_holds_the_log_up_again_and_again(scenario: Scenario) -> None:
    reader = {"cause": "long_transaction", "servers": ["desk-b"], "table": "loan", "start_minutes_ago": 120}
    made = fleet(scenario, {"desk"}, reader)
    found = lag(made, "desk-b", 100, 60)
    assert 200 < found.max() <= 301 and found.min() < 1
    assert ((found[1:] < 1) & (found[:-1] >= 1)).sum() >= 5, "each time it catches up"


def test_applying_the_log_is_work_for_the_replicas_volume(scenario: Scenario) -> None:
    made = fleet(scenario, {"catalog"})
    alone = Fleet(made.servers["catalog-b"].scenario, NOW).histories["catalog-b"]
    alone.flows.clear()
    with_log = frames.metric_frame(made.histories["catalog-b"], NOW, NOW + 10 * MINUTE_US)
    without = frames.metric_frame(alone, NOW, NOW + 10 * MINUTE_US)
    for name in ("pages_written", "pages_read", "data_volume_busy_s"):
        assert with_log[name].sum() > 1.05 * without[name].sum(), name
    assert "replica_lag_s" not in without.columns


def test_what_is_done_to_the_primary_reaches_the_replica_from_then_on(scenario: Scenario) -> None:
    made = fleet(scenario, {"desk"})
    live = LiveServer(made.histories["desk-a"], NOW - HOUR_US)
    span = (NOW - 30 * MINUTE_US, NOW)
    before = frames.metric_frame(made.histories["desk-b"], *span)
    later = frames.metric_frame(made.histories["desk-b"], NOW, NOW + 20 * MINUTE_US)["pages_written"].sum()
    live.do(SetSetting(NOW, name="checkpoint_interval_s", value=10))
    assert frames.metric_frame(made.histories["desk-b"], *span).equals(before)
    after = frames.metric_frame(made.histories["desk-b"], NOW, NOW + 20 * MINUTE_US)["pages_written"].sum()
    assert after > 1.05 * later


def test_servers_on_one_storage_slow_each_other_and_see_only_their_own_requests(scenario: Scenario) -> None:
    scans = {
        "cause": "missing_index", "servers": ["archive-b"], "index": "page_scan_folder", "start_minutes_ago": 60, "end_minutes_ago": 30,
    }  # fmt: skip
    apart, shared = fleet(scenario, {"archive"}, scans), fleet(scenario, {"archive"}, scans, archive="vault")

    def figures(made: Fleet, minutes_ago: int) -> tuple[float, float, float]:
        at = NOW - minutes_ago * MINUTE_US
        block = made.histories["archive-a"].blocks(at, at + 20 * MINUTE_US)[0]
        waits = float((block.model.seconds * block.model.rate).sum() / block.model.rate.sum())
        frame = frames.metric_frame(made.histories["archive-a"], at, at + 20 * MINUTE_US)
        return waits, float(frame["data_volume_busy_s"].mean()), float(block.model.utilisation["data volume"].mean())

    alone, before, during = figures(apart, 55), figures(shared, 85), figures(shared, 55)
    assert during[0] > 1.5 * before[0] and during[0] > 1.5 * alone[0]
    assert during[2] > before[2] and during[1] < 1.4 * before[1] + 1


def test_one_storage_has_one_set_of_figures(tmp_path: Path) -> None:
    text = shipped("ring").read_text().replace("growth_per_day: 0.5 GB,", "growth_per_day: 0.5 GB, shared_as: vault,")
    second = text.split("clusters:\n")[1].split("rhythms:")[0]
    second = second.replace("name: ring", "name: other").replace("channels: 16", "channels: 4")
    file = tmp_path / "two.yaml"
    file.write_text(text.replace("rhythms:", second + "rhythms:", 1))
    with pytest.raises(ScenarioError, match="storage vault: cluster other gives other channels than ring"):
        load_scenario(file)
