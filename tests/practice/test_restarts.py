"""What takes effect at a restart comes with one: the start moves, counters begin again, the cache is cold and warms up."""

from __future__ import annotations

from typing import Any

import pytest

from practice_fleet import frames
from practice_fleet.fleet import Fleet
from practice_fleet.live import LiveServer
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import MINUTE_US
from tests.practice.test_history import NOW

BEGAN = NOW - 90 * MINUTE_US


def with_trouble(scenario: Scenario, **trouble: Any) -> Fleet:
    spec = {"servers": ["desk-a"], "start_minutes_ago": 90} | trouble
    return Fleet(Scenario.model_validate(scenario.model_dump(exclude={"troubles"}) | {"troubles": [spec]}), NOW)


@pytest.mark.parametrize(
    "trouble",
    [{"cause": "cache_too_small"}, {"cause": "host_setting"}, {"cause": "memory_overcommitted"}],
    ids=lambda t: t["cause"],
)
def test_a_restart_comes_with_what_needs_one(scenario: Scenario, trouble: dict[str, Any]) -> None:
    fleet = with_trouble(scenario, **trouble)
    live = LiveServer(fleet.histories["desk-a"], BEGAN - 120 * MINUTE_US)
    assert live.started_us(NOW) == BEGAN
    assert "server restarted" in {message.text for message in live.messages(BEGAN - MINUTE_US, NOW).messages}
    other = LiveServer(fleet.histories["desk-b"], BEGAN - 120 * MINUTE_US)
    assert other.started_us(NOW) != BEGAN


def test_the_cache_is_cold_and_warms_up(scenario: Scenario) -> None:
    read = frames.metric_frame(
        with_trouble(scenario, cause="host_setting", what="small_pages").histories["desk-a"],
        BEGAN - 30 * MINUTE_US,
        NOW,
    )
    share = (read["pages_read"] / read["pages_requested"]).to_numpy()
    before, first, later = share[:29].mean(), share[30], share[32:].mean()
    assert first > 1.2 * before and later < 1.05 * before, "it is full again within a minute at this load"


def test_what_is_changed_at_once_restarts_nothing(scenario: Scenario) -> None:
    fleet = with_trouble(scenario, cause="upkeep_off")
    assert LiveServer(fleet.histories["desk-a"], BEGAN - 120 * MINUTE_US).started_us(NOW) != BEGAN
