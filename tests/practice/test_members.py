"""A partitioned cluster: a member leaves and comes back; its peers take over, copy, and agree again."""

from __future__ import annotations

import numpy as np
import pytest

from practice_fleet import frames
from practice_fleet.history import History
from practice_fleet.live import LiveServer
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import HOUR_US, MINUTE_US, PracticeServer
from practice_fleet.troubles.members import PARTITIONS

NOW = 1_795_521_600_000_000
DOWN = {"cause": "member_down", "servers": ["kiosk-c"], "start_minutes_ago": 120, "end_minutes_ago": 60, "size": 25}


@pytest.fixture(scope="module")
def members(scenario: Scenario) -> dict[str, PracticeServer]:
    document = scenario.model_dump(exclude={"troubles"}) | {"troubles": [DOWN]}
    made = Scenario.model_validate(document)
    found = {n: made.servers()[n] for n in ("kiosk-a", "kiosk-b", "kiosk-c", "kiosk-d")}
    return {name: PracticeServer(made, cluster, spec, NOW) for name, (cluster, spec) in found.items()}


def calls(server: PracticeServer, at: int, minutes: int = 10) -> float:
    frame = frames.metric_frame(History(server), at, at + minutes * MINUTE_US)
    return float(frame["calls"].sum()) if len(frame) else 0.0


def test_the_three_that_are_left_take_the_load_at_once(members: dict[str, PracticeServer]) -> None:
    before, down = NOW - 135 * MINUTE_US, NOW - 119 * MINUTE_US
    whole = sum(calls(server, before) for server in members.values())
    shares = {name: calls(server, down) / whole for name, server in members.items()}
    assert shares["kiosk-c"] == 0
    for name in ("kiosk-a", "kiosk-b", "kiosk-d"):
        assert shares[name] == pytest.approx(1 / 3, rel=0.2)
    assert sum(shares.values()) == pytest.approx(1, rel=0.15), "nothing is lost"


def test_rebalancing_counts_fall_to_zero_and_copies_add_up_again(members: dict[str, PracticeServer]) -> None:
    start = NOW - 120 * MINUTE_US
    left = []
    for minute in (1, 8, 16, 24, 30):
        found = [members[n].levels(np.array([start + minute * MINUTE_US])) for n in ("kiosk-a", "kiosk-b", "kiosk-d")]
        left.append(float(sum(levels["copies_missing"][0] for levels in found)))
        assert sum(f["partitions_coming"] for f in found) == sum(f["partitions_going"] for f in found)
    assert left[0] == pytest.approx(PARTITIONS * 2 / 4, rel=0.1), "first and second copies that the member held"
    assert (np.diff(left) < 0).sum() >= 3 and left[-1] == 0


def test_members_agree_only_after_they_noticed(members: dict[str, PracticeServer]) -> None:
    start = NOW - 120 * MINUTE_US
    live = LiveServer(History(members["kiosk-a"]), NOW)
    seen = {s: live.counters(start + s * 1_000_000).levels["members_seen"] for s in (-60, 5, 40)}
    assert seen == {-60: 4, 5: 4, 40: 3}
    assert live.counters(NOW).levels["members_seen"] == 4
    texts = [m.text for m in live.messages(0, NOW).messages]
    assert any("kiosk-c does not answer" in text for text in texts) and any("copies again" in text for text in texts)


def test_copying_costs_and_the_load_goes_back(members: dict[str, PracticeServer]) -> None:
    a, start = members["kiosk-a"], NOW - 120 * MINUTE_US
    copying, copied = a.state(start + MINUTE_US), a.state(start + 40 * MINUTE_US)
    assert copying.now.background_pages_per_s > 200 > copied.now.background_pages_per_s
    back = [calls(server, NOW - 30 * MINUTE_US) for server in members.values()]
    assert max(back) < 1.3 * min(back), "every member has its part again"
    assert members["kiosk-c"].is_down(start + HOUR_US // 2) and not members["kiosk-c"].is_down(NOW)
