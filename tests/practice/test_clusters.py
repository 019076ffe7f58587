"""What is done to one server reaches those that serve the same data with it, and no others."""

from __future__ import annotations

import pytest

from hardy_gauge.probes.protocol import IndexSpec, Refused
from practice_fleet import frames
from practice_fleet.fleet import Fleet
from practice_fleet.live import LiveServer
from practice_fleet.operations.schema import BuildIndex, DropIndex
from practice_fleet.operations.settings import SetSetting
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import HOUR_US, MINUTE_US

NOW = 1_795_521_600_000_000
BACK = IndexSpec(name="back", table="loan", columns=["renewals"])


@pytest.fixture
def fleet(scenario: Scenario) -> Fleet:
    return Fleet(scenario.model_copy(update={"troubles": []}), NOW - HOUR_US)


def live(fleet: Fleet, name: str) -> LiveServer:
    return LiveServer(fleet.histories[name], NOW - HOUR_US)


def indexes(fleet: Fleet, name: str, at: int) -> set[str]:
    return set(fleet.servers[name].state(at).catalogue.indexes)


def test_an_index_built_on_the_primary_comes_to_its_replicas(fleet: Fleet) -> None:
    building = BuildIndex(NOW, spec=BACK)
    live(fleet, "desk-a").do(building)
    for name in ("desk-a", "desk-b", "desk-c"):
        assert "back" not in indexes(fleet, name, NOW + 1) and "back" in indexes(fleet, name, building.ready_us)
        assert fleet.servers[name].state(NOW + 1).now.background_cores == 1
        said = [m.text for m in live(fleet, name).messages(NOW, NOW + HOUR_US).messages]
        assert "index on loan built" in said
    assert "back" not in indexes(fleet, "lab-a", building.ready_us), "a lab server's data are its own"


def test_an_index_dropped_on_a_member_is_dropped_on_all(fleet: Fleet) -> None:
    gone = sorted(indexes(fleet, "kiosk-b", NOW))[0]
    live(fleet, "kiosk-b").do(DropIndex(NOW, name=gone))
    assert all(gone not in indexes(fleet, f"kiosk-{n}", NOW) for n in "abcd")
    assert all(gone in indexes(fleet, f"kiosk-{n}", NOW - 1) for n in "abcd")


@pytest.mark.parametrize(("name", "leader"), [("desk-b", "desk-a"), ("stats-d", "stats-a"), ("archive-b", "archive-a")])
def test_who_follows_refuses_and_names_its_leader(fleet: Fleet, name: str, leader: str) -> None:
    table = next(iter(fleet.servers[name].database.tables.values()))
    for operation in (BuildIndex(NOW, spec=BACK), DropIndex(NOW, name=table.indexes[0].name)):
        with pytest.raises(Refused, match=f"{name} has its schema from {leader}"):
            live(fleet, name).do(operation)
    assert all(not server.influences for server in fleet.servers.values()), "nothing is half done"


def test_a_refusal_reaches_no_one(fleet: Fleet) -> None:
    with pytest.raises(Refused, match="no column colour"):
        live(fleet, "desk-a").do(BuildIndex(NOW, spec=IndexSpec(table="loan", columns=["colour"])))
    assert all(not server.influences for server in fleet.servers.values())


def test_how_plans_are_spread_is_set_on_the_coordinator_for_all(fleet: Fleet) -> None:
    live(fleet, "stats-a").do(SetSetting(NOW, name="exchange_partitions", value=48))
    plans = [fleet.servers[f"stats-{n}"].state(NOW).plan_keys for n in "abcd"]
    assert {fleet.servers[f"stats-{n}"].state(NOW).settings["exchange_partitions"] for n in "abcd"} == {48}
    assert all(keys == plans[0] for keys in plans), "one plan, wherever it is looked at"
    with pytest.raises(Refused, match="exchange_partitions from stats-a"):
        live(fleet, "stats-b").do(SetSetting(NOW, name="exchange_partitions", value=8))
    live(fleet, "stats-b").do(SetSetting(NOW, name="read_ahead_pages", value=8))
    assert fleet.servers["stats-c"].state(NOW).settings["read_ahead_pages"] == 64, "others are set one by one"


def test_a_setting_that_spreads_nothing_is_anyones(fleet: Fleet) -> None:
    live(fleet, "desk-b").do(SetSetting(NOW, name="exchange_partitions", value=8))
    assert fleet.servers["desk-a"].state(NOW).settings["exchange_partitions"] == 16


def test_dropping_an_index_of_the_primary_slows_its_replicas_reads(fleet: Fleet) -> None:
    before = frames.metric_frame(fleet.histories["catalog-b"], NOW - 5 * MINUTE_US, NOW)["rows_examined"].mean()
    key = next(
        step.index for step in fleet.servers["catalog-b"].state(NOW).plans["titles_of_author"].walk() if step.index
    )
    live(fleet, "catalog-a").do(DropIndex(NOW, name=key))
    after = frames.metric_frame(fleet.histories["catalog-b"], NOW, NOW + 5 * MINUTE_US)["rows_examined"].mean()
    assert after > 5 * before  # type: ignore[operator]
