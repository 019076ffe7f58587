"""A reporting cluster: plans spread over workers, what is moved between steps, and a coordinator that waits."""

from __future__ import annotations

from typing import Any

import numpy as np
import polars as pl
import pytest

from hardy_gauge.probes.protocol import Arrival, ExplainRequest, PlayRequest, PlayStatement
from practice_fleet import frames
from practice_fleet.fleet import Fleet
from practice_fleet.live import LiveServer
from practice_fleet.physics.wait_events import WORKERS
from practice_fleet.planner.access import Costing
from practice_fleet.planner.catalogue import Catalogue
from practice_fleet.planner.choose import plan
from practice_fleet.planner.plan import Node
from practice_fleet.plays import event_run
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.server import HOUR_US, MINUTE_US

NOW = 1_795_521_600_000_000
SUBJECTS = "subjects_of_month"
GIB = 2**30


def stats(scenario: Scenario, *troubles: dict[str, Any], **settings: Any) -> Fleet:
    document = scenario.model_dump(exclude={"troubles"})
    document["clusters"] = [c for c in document["clusters"] if c["name"] == "stats"]
    document["clusters"][0]["settings"] |= settings
    return Fleet(Scenario.model_validate(document | {"troubles": list(troubles)}), NOW)


def operations(node: Node) -> list[str]:
    return [step.operation for step in node.walk()]


def took(made: Fleet, key: str = SUBJECTS, server: str = "stats-a") -> float:
    """Mean seconds of a call at noon."""
    block = made.histories[server].at(NOW)
    return float(block.model.response[block.keys.index(key), 0])


@pytest.fixture(scope="module")
def usual(scenario: Scenario) -> Fleet:
    return stats(scenario)


def test_what_is_gathered_is_what_one_server_would_return(usual: Fleet) -> None:
    database = usual.servers["stats-a"].database
    whole = Catalogue.of(dict(database.tables))
    for key, spread in usual.servers["stats-a"].state(NOW).plans.items():
        alone = plan(whole, database.statements[key], Costing(sort_memory=67108864))
        assert spread.operation == "gather" and spread.at == "coordinator"
        assert spread.rows_true == pytest.approx(alone.rows_true, rel=0.02, abs=3), key
        scanned = [sum(n.examined for n in tree.walk() if n.table == "loan_fact") for tree in (spread, alone)]
        assert 3 * scanned[0] == pytest.approx(scanned[1], rel=0.05, abs=3), f"{key}: every worker reads a third"


def test_small_sides_are_sent_whole_and_large_ones_exchanged(scenario: Scenario, usual: Fleet) -> None:
    plans = usual.servers["stats-b"].state(NOW).plans
    assert "broadcast" in operations(plans["branch_month"]), "43 branches"
    assert operations(plans[SUBJECTS]).count("exchange") == 3, "both sides of the join, and the groups"
    all_sent = stats(scenario, broadcast_limit_bytes=GIB).servers["stats-b"].state(NOW).plans[SUBJECTS]
    sent = next(n for n in all_sent.walk() if n.operation == "broadcast")
    assert sent.rows_true == pytest.approx(840_000) and operations(all_sent).count("exchange") == 1
    never = stats(scenario, broadcast_limit_bytes=0).servers["stats-b"].state(NOW).plans["branch_month"]
    assert "broadcast" not in operations(never)


def test_stale_statistics_send_a_large_side_to_everyone(scenario: Scenario) -> None:
    stale = {
        "cause": "stale_statistics",
        "servers": ["stats-a", "stats-b"],
        "table": "title_dim",
        "start_minutes_ago": 60,
        "size": 60,
    }
    state = stats(scenario, stale).servers["stats-b"].state(NOW)
    sent = [n for n in state.plans[SUBJECTS].walk() if n.operation == "broadcast"]
    assert sent and sent[0].rows_true > 20 * sent[0].rows_expected


def test_a_nested_loop_is_looked_up_where_the_rows_are(usual: Fleet) -> None:
    server = usual.servers["stats-b"]
    sql = "SELECT t.subject FROM loan_fact f JOIN title_dim t ON t.id = f.title_id WHERE f.day = 5 AND f.branch_id = 7"
    spec = StatementSpec(sql=sql, service="s", user="u", rate=1, rhythm="office")
    state = server.state(NOW)
    found = plan(state.catalogue, spec, state.costing, None, state.over)
    assert "nested loop" in operations(found)
    alone = plan(Catalogue.of(dict(server.database.tables)), spec, state.costing)
    assert found.rows_true == pytest.approx(alone.rows_true, rel=0.05)


def test_too_few_partitions_leave_workers_idle_and_too_many_are_work(scenario: Scenario) -> None:
    seconds = {n: took(stats(scenario, exchange_partitions=n)) for n in (1, 12, 5000)}
    assert seconds[1] > 1.5 * seconds[12] and seconds[5000] > 1.5 * seconds[12]


def test_splits_have_a_best_size(scenario: Scenario) -> None:
    key = "month_statistics"
    seconds = {n: took(stats(scenario, scan_split_bytes=n), key) for n in (64 * 1024, 2**27, 2**37)}
    assert seconds[64 * 1024] > 1.5 * seconds[2**27] and seconds[2**37] > 1.3 * seconds[2**27]


def test_tasks_beside_each_other_shorten_a_report(scenario: Scenario) -> None:
    key = "month_statistics"
    one, four = (took(stats(scenario, parallel_workers=n), key) for n in (1, 4))
    assert 2.5 < one / four < 4.2


def test_a_side_that_every_worker_gets_whole_spills_and_takes_longer(scenario: Scenario) -> None:
    sent = stats(scenario, sort_memory_bytes=8 * 2**20, broadcast_limit_bytes=GIB)
    moved = stats(scenario, sort_memory_bytes=8 * 2**20)
    assert took(sent) > 1.2 * took(moved)
    temporary = [made.servers["stats-b"].state(NOW).visits[SUBJECTS].temp_reads for made in (sent, moved)]
    assert temporary[0] > temporary[1]


def test_the_coordinator_waits_for_the_slowest_worker(scenario: Scenario) -> None:
    slow = {"cause": "data_volume_slow", "servers": ["stats-c"], "start_minutes_ago": 60, "size": 8}
    well, ill = stats(scenario), stats(scenario, slow)
    parts = {name: took(ill, SUBJECTS, name) for name in ("stats-b", "stats-c", "stats-d")}
    assert parts["stats-c"] > 1.3 * max(parts["stats-b"], parts["stats-d"])
    block = ill.histories["stats-a"].at(NOW)
    number = block.keys.index(SUBJECTS)
    beside = ill.servers["stats-c"].state(NOW).visits[SUBJECTS].beside
    assert block.model.seconds[WORKERS, number, 0] == pytest.approx(parts["stats-c"] / beside)
    assert took(ill) > 1.2 * took(well)


def test_every_worker_does_a_part_of_every_call_and_returns_nothing_between(usual: Fleet) -> None:
    span = (NOW - HOUR_US, NOW)
    tables = {name: frames.statement_frame(history, *span) for name, history in usual.histories.items()}
    sums = {
        name: frame.group_by("statement_key").agg(pl.col("calls", "rows_returned").sum())
        for name, frame in tables.items()
    }
    for name in ("stats-b", "stats-c", "stats-d"):
        assert sums[name].sort("statement_key")["calls"].equals(sums["stats-a"].sort("statement_key")["calls"])
    metric = {name: frames.metric_frame(history, *span) for name, history in usual.histories.items()}
    assert metric["stats-a"]["temporary_bytes"].sum() == 0 < metric["stats-b"]["temporary_bytes"].sum()
    assert metric["stats-a"]["pages_read"].sum() == 0, "the coordinator holds no data"


def test_clock_and_events_agree_on_a_report_at_rest(usual: Fleet) -> None:
    server = usual.servers["stats-a"]
    texts = [PlayStatement(text=server.database.statements[SUBJECTS].sql, weight=1)]
    request = PlayRequest(statements=texts, arrival=Arrival(kind="open", rate_per_s=0.3), seconds=600, seed=4)
    state = server.trial_state(NOW, texts, {}, [], [], request.arrival)
    result = event_run(state, request).play(600)
    assert result.executions["duration_s"].mean() == pytest.approx(took(usual), rel=0.2)
    assert result.executions["wait.worker_wait"].sum() > 0.9 * result.executions["duration_s"].sum()
    assert result.utilisation["worker processor"] > 5 * result.utilisation["processor"]
    slower = server.trial_state(NOW, texts, {"exchange_partitions": 1}, [], [], request.arrival)
    assert event_run(slower, request).play(600).executions["duration_s"].mean() > 1.4 * took(usual)


def test_troubles_of_a_reporting_cluster_show_in_plans_and_times(scenario: Scenario) -> None:
    usual = took(stats(scenario))
    every = ["stats-a", "stats-b", "stats-c", "stats-d"]
    for cause in ("partitions_wrong", "broadcast_too_large"):
        trouble = {"cause": cause, "servers": every, "start_minutes_ago": 60}
        made = stats(scenario, trouble, sort_memory_bytes=8 * 2**20)
        before = LiveServer(made.histories["stats-a"], NOW - 2 * HOUR_US)
        assert took(made) > 1.15 * took(stats(scenario, sort_memory_bytes=8 * 2**20)) > 0.9 * usual, cause
        said = before.messages(NOW - 2 * HOUR_US, NOW).messages
        assert [m.change for m in said] == ["setting"]


def test_the_plan_over_the_protocol_has_both_sides_with_times(usual: Fleet) -> None:
    live = LiveServer(usual.histories["stats-a"], NOW - MINUTE_US)
    sql = usual.servers["stats-a"].database.statements[SUBJECTS].sql
    explained = live.explain(ExplainRequest(text=sql), NOW)
    assert explained.root.operation == "gather" and explained.time_s == pytest.approx(took(usual), rel=0.5)
    assert live.identity(NOW).role == "coordinator"


WRONG = [
    (["coordinator"], "one coordinator and at least one worker"),
    (["worker", "worker"], "one coordinator and at least one worker"),
    (["coordinator", "coordinator", "worker"], "one coordinator"),
    (["coordinator", "worker", "replica"], "no other roles|no primary"),
]


@pytest.mark.parametrize(("roles", "words"), WRONG)
def test_roles_that_cannot_be_are_refused(scenario: Scenario, roles: list[str], words: str) -> None:
    document = scenario.model_dump(exclude={"troubles"})
    cluster = next(c for c in document["clusters"] if c["name"] == "stats")
    cluster["servers"] = [{"name": f"stats-{n}", "role": role} for n, role in zip("abcd", roles, strict=False)]
    with pytest.raises(ValueError, match=words):
        Scenario.model_validate(document)


def test_minutes_agree_whatever_they_are_asked_with(usual: Fleet, scenario: Scenario) -> None:
    at = NOW - 3 * HOUR_US
    other = stats(scenario)
    one = usual.histories["stats-a"].blocks(at, at + 5 * MINUTE_US)[0]
    two = other.histories["stats-a"].blocks(at + 2 * MINUTE_US, at + 3 * MINUTE_US)[0]
    assert np.array_equal(one.seconds[:, :, 2], two.seconds[:, :, 0])
