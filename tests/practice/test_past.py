"""What happens to a server changes nothing before it: every kind of history, on every kind of server."""

from __future__ import annotations

from typing import Any

import polars as pl
import pytest

from practice_fleet import frames
from practice_fleet.fleet import Fleet
from practice_fleet.history import History
from practice_fleet.live import LiveServer
from practice_fleet.operations.host import GrowVolume
from practice_fleet.operations.settings import Restart, SetSetting
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import HOUR_US, MINUTE_US

NOW = 1_795_521_600_000_000
CUT = NOW - 9 * HOUR_US + 23 * MINUTE_US  # twenty-three minutes into the night run
HELD = {
    "cause": "idle_transaction", "servers": ["reserve-a"], "statement": "move_up", "start_minutes_ago": 900, "size": 0.4,
}  # fmt: skip
LOCKED = {
    "cause": "deadlocks",
    "servers": ["catalog-a"],
    "statement": "edit_title",
    "start_minutes_ago": 900,
    "size": 150,
}
OPERATIONS: list[Any] = [
    SetSetting(CUT, name="read_ahead_pages", value=8), Restart(CUT), GrowVolume(CUT, volume="data", capacity=10**16),
]  # fmt: skip


@pytest.fixture(scope="module")
def troubled(scenario: Scenario) -> Scenario:
    document = scenario.model_dump(exclude={"troubles"}) | {"troubles": [HELD, LOCKED]}
    return Scenario.model_validate(document)


def kinds(history: History, since: int, until: int) -> dict[str, pl.DataFrame]:
    return {
        "metric": frames.metric_frame(history, since, until),
        "statement": frames.statement_frame(history, since, until).sort("at_us", "statement_key"),
        "sample": frames.sample_frame(history, since, until),
        "execution": frames.execution_frame(history, since, until, 0.02),
    }


@pytest.mark.parametrize(
    "name", ["desk-a", "desk-b", "reserve-a", "catalog-a", "kiosk-a", "stats-a", "stats-b", "archive-a"]
)
@pytest.mark.parametrize("operation", OPERATIONS, ids=lambda o: type(o).__name__)
def test_the_past_stays_as_it_was(troubled: Scenario, name: str, operation: Any) -> None:
    since = CUT - 40 * MINUTE_US
    untouched = Fleet(troubled, NOW).histories[name]
    before = kinds(untouched, since, CUT)
    after = Fleet(troubled, NOW).histories[name]
    LiveServer(after, NOW - 20 * HOUR_US).do(operation)
    changed = kinds(after, since, CUT)
    for kind, frame in before.items():
        assert frame.equals(changed[kind]), kind
    later = [h.server.state(CUT + 1) for h in (untouched, after)]
    assert later[0].now != later[1].now, "and it did change what came then"


def test_a_primarys_future_changes_nothing_of_its_replicas_past(troubled: Scenario) -> None:
    fleet, other = Fleet(troubled, NOW), Fleet(troubled, NOW)
    LiveServer(fleet.histories["catalog-a"], NOW - 20 * HOUR_US).do(
        SetSetting(CUT, name="checkpoint_interval_s", value=10)
    )
    for kind, frame in kinds(other.histories["catalog-b"], CUT - HOUR_US, CUT).items():
        assert frame.equals(kinds(fleet.histories["catalog-b"], CUT - HOUR_US, CUT)[kind]), kind


@pytest.mark.parametrize("name", ["stats-b", "catalog-a", "reserve-a"])
def test_any_span_agrees_with_any_other(troubled: Scenario, name: str) -> None:
    """Twenty minutes asked for alone are the same twenty minutes of a day."""
    one, two = (Fleet(troubled, NOW).histories[name] for _ in range(2))
    day = kinds(one, CUT - 6 * HOUR_US, CUT + 6 * HOUR_US)
    alone = kinds(two, CUT, CUT + 20 * MINUTE_US)
    for kind, frame in alone.items():
        if frame.is_empty():
            continue
        time = "ended_at_us" if kind == "execution" else "at_us"
        assert frame.equals(day[kind].filter(pl.col(time).is_between(CUT, CUT + 20 * MINUTE_US - 1))), kind


def test_failures_are_whole_calls_and_the_same_wherever_they_are_read(troubled: Scenario) -> None:
    history = Fleet(troubled, NOW).histories["catalog-a"]
    span = (NOW - HOUR_US, NOW)
    by_statement = frames.statement_frame(history, *span)
    metric = frames.metric_frame(history, *span)
    assert by_statement["errors"].sum() == metric["errors"].sum() > 0
    assert (by_statement["errors"] % 1 == 0).all() and (by_statement["errors"] <= by_statement["calls"]).all()
    said = LiveServer(history, NOW - 20 * HOUR_US).messages(*span).messages
    victims = [m for m in said if "given up as victim" in m.text]
    assert len(victims) == by_statement.filter(pl.col("statement_key") == "edit_title")["errors"].sum()
