"""Every trouble leaves the traces that a real one leaves, in all the places where it would, and none elsewhere."""

from __future__ import annotations

from typing import Any, get_args

import numpy as np
import pytest
from pydantic import TypeAdapter, ValidationError

from hardy_gauge.probes.wait_map import wait_map
from practice_fleet import frames
from practice_fleet.history import History
from practice_fleet.live import LiveServer
from practice_fleet.physics.wait_events import EVENTS
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.examples import EXAMPLES
from practice_fleet.server import HOUR_US, MINUTE_US, PracticeServer
from practice_fleet.troubles import Trouble

NOW = 1_795_521_600_000_000  # a Tuesday noon
DESK = "desk-a"
# a trouble that is known by a table's statistics alone, and one that is there before it begins: the table as it was before its load
MORE: dict[str, dict[str, Any]] = {
    cause: {key: value for key, value in example.items() if key != "servers"}
    for cause, example in EXAMPLES.items()
    if example["servers"] == [DESK]
} | {"volume_shared": {"size": 0.9}, "storage_filling": {"size": 1e8}}
CAUSES = sorted(get_args(member.model_fields["cause"].annotation)[0] for member in get_args(get_args(Trouble)[0]))
# what needs the whole fleet, or only a moment, is played in test_traces.py
PLAYED_ELSEWHERE = {
    "cold_cache_after_failover", "restart_with_warm_cache", "release_without_effect", "clock_off", "index_upkeep", "stale_statistics",
}  # fmt: skip
# the wait event on which a cause shows first, and the level figure that it moves
WAITS = {
    "missing_index": "page_read", "data_volume_slow": "page_read", "log_volume_slow": "log_flush",
    "volume_shared": "page_read", "hot_row": "row_lock", "idle_transaction": "row_lock", "lock_chain": "row_lock",
    "deadlocks": "row_lock", "memory_overcommitted": "swap_in", "cache_too_small": "page_write",
    "host_setting": "running", "over_fetch": "running", "wide_select": "page_read", "bloat": "page_read",
    "plan_flip": "page_read", "value_sensitive_plan": "page_read", "session_flood": "running",
    "many_small_calls": "running", "uneven_load": "running", "write_amplification": "page_read",
    "network_slow": "send_rows", "prepared_transaction_left": "row_lock", "backup_in_rush": "page_read",
    "statistics_job_in_rush": "page_read", "temporary_files_fill": "temp_file", "long_transaction": "page_read",
}  # fmt: skip
LEVELS = {
    "transaction_age": "transaction_age", "upkeep_off": "transaction_age", "storage_filling": "volume_used.data",
    "sequence_running_out": "sequence_used.loan_id_seq",
    "long_transaction": "oldest_transaction_s", "idle_transaction": "idle_transactions", "bloat": "dead_rows_share",
    "memory_overcommitted": "memory_used_bytes", "log_kept_for_lost_replica": "volume_used.log",
    "temporary_files_fill": "volume_used.data", "prepared_transaction_left": "prepared_transactions",
    "pooler_too_small": "pool_sessions",
}  # fmt: skip
QUIET = {"hot_row", "value_sensitive_plan", "volume_shared", "processor_saturated", "over_fetch", "long_transaction", "bloat",
         "transaction_age", "sequence_running_out", "uneven_load",
         "data_volume_slow", "storage_filling", "host_setting", "network_slow", "pooler_too_small", "prepared_transaction_left",
         "backup_in_rush", "statistics_job_in_rush", "seasonal_growth"}  # fmt: skip


def troubled(scenario: Scenario, cause: str, hours: float = 30, **more: Any) -> PracticeServer:
    spec = {"cause": cause, "servers": [DESK], "start_minutes_ago": hours * 60} | MORE.get(cause, {}) | more
    document = scenario.model_dump(exclude={"troubles"}) | {"troubles": [spec]}
    made = Scenario.model_validate(document)
    cluster, server = made.servers()["desk-a"]
    return PracticeServer(made, cluster, server, NOW)


@pytest.fixture(scope="module")
def healthy(scenario: Scenario) -> PracticeServer:
    plain = scenario.model_copy(update={"troubles": []})
    cluster, server = plain.servers()["desk-a"]
    return PracticeServer(plain, cluster, server, NOW)


def test_every_cause_is_tried_here() -> None:
    assert len(CAUSES) >= 60 and set(EXAMPLES) == set(CAUSES)


@pytest.mark.parametrize("cause", sorted(MORE.keys() - PLAYED_ELSEWHERE))
def test_a_trouble_shows_and_nothing_shows_before_it(scenario: Scenario, healthy: PracticeServer, cause: str) -> None:
    server = troubled(scenario, cause)
    ill, well = History(server), History(healthy)
    before = NOW - 40 * HOUR_US
    assert ill.at(before).model.seconds == pytest.approx(well.at(before).model.seconds), "as usual before it starts"
    now, usual = ill.at(NOW), well.at(NOW)
    frame = frames.metric_frame(ill, NOW, NOW + MINUTE_US)
    plain = frames.metric_frame(well, NOW, NOW + MINUTE_US)
    moved = [
        name for name in frame.columns
        if name not in plain.columns or abs(frame[name][0] - plain[name][0]) > 0.005 * abs(plain[name][0]) + 1e-9
    ]  # fmt: skip
    believed = now.state.catalogue.rows_expected("patron") != usual.state.catalogue.rows_expected("patron")
    assert moved or believed or now.state.settings != usual.state.settings, "it changes nothing"
    if cause in WAITS:
        event = f"wait.{WAITS[cause]}"
        spent, plain_spent = (
            float(frames.statement_frame(h, NOW, NOW + 5 * MINUTE_US)[event].sum()) for h in (ill, well)
        )
        assert spent > 1.03 * plain_spent + 0.01
    if cause in LEVELS:
        level = LEVELS[cause]
        later = frames.metric_frame(ill, NOW, NOW + 20 * HOUR_US)[level].max()  # a hold comes and goes
        assert later > (plain[level][0] if level in plain.columns else 0)
    said = LiveServer(History(server), NOW).messages(NOW - 31 * HOUR_US, NOW).messages
    assert bool(said) == (cause not in QUIET)
    assert LiveServer(History(server), NOW).messages(0, NOW - 31 * HOUR_US).messages == []


def test_a_trouble_that_is_over_leaves_the_server_as_it_was(scenario: Scenario, healthy: PracticeServer) -> None:
    server = troubled(scenario, "data_volume_slow", hours=30, end_minutes_ago=600)
    assert History(server).at(NOW).model.seconds == pytest.approx(History(healthy).at(NOW).model.seconds)
    during = History(server).at(NOW - 20 * HOUR_US).seconds.sum()
    assert during > 1.2 * History(healthy).at(NOW - 20 * HOUR_US).seconds.sum()
    cuts = server.cuts(NOW - 40 * HOUR_US, NOW)
    assert cuts == [NOW - 30 * HOUR_US, NOW - 10 * HOUR_US]


@pytest.mark.parametrize("cause", ["bloat", "storage_filling", "sequence_running_out"])
def test_what_grows_slowly_grows_with_time(scenario: Scenario, cause: str) -> None:
    server = troubled(scenario, cause, hours=100)
    history = History(server)
    at = [NOW - hours * HOUR_US for hours in (90, 60, 30, 1)]
    level = LEVELS[cause]
    values = [float(frames.metric_frame(history, a, a + MINUTE_US)[level][0]) for a in at]
    assert (np.diff(values) > 0).all()
    if cause == "bloat":
        pages = [server.state(a).catalogue.tables["loan"].pages for a in at]
        assert pages[-1] > 1.5 * pages[0] and server.state(at[-1]).catalogue.tables["loan"].rows == pytest.approx(
            server.state(at[0]).catalogue.tables["loan"].rows
        )


def test_stale_statistics_make_the_estimate_wrong_not_the_rows(scenario: Scenario) -> None:
    server = troubled(scenario, "stale_statistics", table="hold_request", size=1000)
    catalogue = server.state(NOW).catalogue
    assert catalogue.rows_expected("hold_request") * 1000 == pytest.approx(catalogue.tables["hold_request"].rows)


def test_a_plan_kept_for_a_rare_value_is_bad_for_a_frequent_one(scenario: Scenario, healthy: PracticeServer) -> None:
    state = troubled(scenario, "value_sensitive_plan", size=100_000).state(NOW)
    usual = healthy.state(NOW)
    assert state.plans["loan_by_item"].key() == usual.plans["loan_by_item"].key(), "the plan is pinned"
    assert state.visits["loan_by_item"].reads > 100 * usual.visits["loan_by_item"].reads


MISTAKES = [
    ({"cause": "missing_index", "index": "nothing"}, "no index 'nothing'"),
    ({"cause": "hot_row", "statement": "patron_by_card"}, "changes no rows"),
    ({"cause": "hot_row", "statement": "nothing"}, "no statement 'nothing'"),
    ({"cause": "plan_flip", "table": "loan", "column": "colour"}, "no column of loan 'colour'"),
    ({"cause": "setting_harmed", "setting": "colour", "value": 1}, "no setting 'colour'"),
    ({"cause": "cache_too_small", "size": "8 gigs"}, "units: B, kB"),
    ({"cause": "data_volume_slow", "size": 0.5}, "greater than 1"),
    ({"cause": "data_volume_slow", "end_minutes_ago": 2000}, "must be less than start_minutes_ago"),
    ({"cause": "data_volume_slow", "servers": ["desk-z"]}, "no server desk-z"),
    ({"cause": "colour"}, "missing_index"),
]


@pytest.mark.parametrize(("spec", "words"), MISTAKES)
def test_mistakes_in_a_trouble_are_named(scenario: Scenario, spec: dict[str, Any], words: str) -> None:
    whole = {"servers": ["desk-a"], "start_minutes_ago": 60} | spec
    document = scenario.model_dump(exclude={"troubles"}) | {"troubles": [whole]}
    with pytest.raises((ValidationError, Exception), match=words):
        Scenario.model_validate(document)


def test_every_wait_of_the_practice_engine_has_a_family() -> None:
    assert set(EVENTS) == set(wait_map("practice").families)


def test_the_union_is_told_apart_by_cause() -> None:
    adapter: TypeAdapter[Any] = TypeAdapter(Trouble)
    found = adapter.validate_python({"cause": "hot_row", "servers": ["a"], "start_minutes_ago": 5, "statement": "x"})
    assert type(found).__name__ == "HotRow" and found.size == 1


def test_what_is_used_up_fails(scenario: Scenario) -> None:
    """A sequence at its end refuses new rows of its table, a full volume and the last transaction number every write; reads go on.
    The log says so for each call that failed.
    """
    spent = {
        "sequence_running_out": {"sequence": "loan_id_seq", "used": 0.9, "size": 0.01},
        "storage_filling": {"size": "80 GB"},
        "transaction_age": {"size": 2e8},
    }
    for cause, more in spent.items():
        server = troubled(scenario, cause, **more)
        block = History(server).at(NOW)
        failing = {key for key, share in block.state.now.failing.items() if share == 1}
        inserts = {
            key for key, spec in block.state.statements.items() if spec.sql.lower().startswith("insert into loan ")
        }
        writes = {key for key, node in block.state.plans.items() if node.write is not None}
        assert failing == (inserts if cause == "sequence_running_out" else writes) != set(), cause
        for number, key in enumerate(block.keys):
            assert (block.errors[number, 0] == block.calls[number, 0]) if key in failing else True
        said = LiveServer(History(server), NOW).messages(NOW - HOUR_US, NOW).messages
        texts = {message.statement for message in said if message.severity == "error"}
        assert texts and texts <= {block.state.statements[key].sql for key in failing}, cause
    early = History(troubled(scenario, "sequence_running_out", hours=5, sequence="loan_id_seq", used=0.9, size=0.01))
    assert not early.at(NOW).state.now.failing
