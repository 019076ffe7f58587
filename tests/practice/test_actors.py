"""Sessions that are followed one by one: seen alike live and in the history, and those that wait for them wait for them."""

from __future__ import annotations

from typing import Any

import polars as pl
import pytest

from practice_fleet import frames
from practice_fleet.history import History
from practice_fleet.live import LiveServer
from practice_fleet.server import HOUR_US, MINUTE_US
from tests.practice.shelf import NOW, history, summed

SECOND = 1_000_000


def with_trouble(cause: str, changes: dict[str, Any] | None = None, **more: Any) -> History:
    return history(
        troubles=[{"cause": cause, "servers": ["shelf-a"], "start_minutes_ago": 0} | more], **(changes or {})
    )


def test_a_change_of_the_schema_waits_for_a_report_and_all_wait_for_it() -> None:
    few = {"statement__find_book__rate": 1.0, "statement__count_reading__rate": 0.8}
    made = with_trouble("schema_change_queue", few, table="book", lasts_s=40, every_s=600)
    seen = frames.sample_frame(made, NOW, NOW + 20 * MINUTE_US)
    report, change = (seen.filter(pl.col("statement_key") == key) for key in ("report_book", "alter_book"))
    assert len(report) == len(change) == 80, "forty seconds, twice"
    assert set(change["blocked_by"]) == set(report["session"]) and set(change["wait_event"]) == {"object_lock"}
    others = seen.filter(pl.col("blocked_by").is_in(change["session"].implode()))
    assert {"find_book", "count_reading"} <= set(others["statement_key"]), "readers too"
    grown = others.group_by("at_us").len().sort("at_us")
    assert grown["len"][35] > 3 * grown["len"][5], "ever more of them"
    done = frames.execution_frame(made, NOW, NOW + 20 * MINUTE_US, 1.0).filter(pl.col("statement_key") == "alter_book")
    assert done["duration_s"].to_list() == [40.0, 40.0]
    rows = summed(frames.statement_frame(made, NOW, NOW + 20 * MINUTE_US), "statement_key")
    assert rows.filter(pl.col("statement_key") == "alter_book")["wait.object_lock"].sum() == pytest.approx(80)


def test_a_long_transaction_is_a_session_with_its_age() -> None:
    made = with_trouble("long_transaction", table="book")
    live = LiveServer(made, NOW)
    at = NOW + 2 * HOUR_US + 7 * SECOND
    [session] = [s for s in live.sessions(at).sessions if s.statement_key == "long_book"]
    assert session.transaction_began_us == pytest.approx(NOW, abs=SECOND) and session.service == "reports"
    assert live.counters(at).levels["oldest_transaction_s"] == pytest.approx(7207, abs=2)
    counted = {s.key: s for s in live.statements(at).statements}["long_book"]
    assert counted.time_s == pytest.approx(7207, abs=70) and counted.calls == 0, "it has not ended"


def test_idle_sessions_of_the_past_are_those_seen_live() -> None:
    made = with_trouble("idle_transaction", statement="count_reading", size=2.0, lasts_s=20)
    live = LiveServer(made, NOW)
    past = frames.holder_frame(made, NOW, NOW + 10 * MINUTE_US)
    assert past["at_us"].n_unique() == 20 * 6, "twenty seconds of each hundred"
    for at in past["at_us"].sample(5, seed=1):
        [holder] = live.sessions(at).holders
        row = past.row(by_predicate=pl.col("at_us") == at, named=True)
        assert holder.session == row["session"] and holder.statement_key == row["statement_key"]
        assert holder.transaction_began_us == pytest.approx(row["transaction_began_us"], abs=2)
    between = NOW + 50 * SECOND
    assert live.sessions(between).holders == [] and between not in past["at_us"]


def test_a_prepared_transaction_is_waited_for_and_nobody_has_it() -> None:
    made = with_trouble("prepared_transaction_left", statement="count_reading", share=0.05, patience_s=10)
    seen = frames.sample_frame(made, NOW + 5 * MINUTE_US, NOW + 10 * MINUTE_US)
    waiting = seen.filter(pl.col("wait_event") == "row_lock")
    assert len(waiting) / 300 == pytest.approx(30 * 0.05 * 10, rel=0.25), "Little's law"
    assert waiting["blocked_by"].null_count() == len(waiting)
    assert LiveServer(made, NOW).sessions(NOW + 5 * MINUTE_US).holders == []
    rows = frames.statement_frame(made, NOW, NOW + 10 * MINUTE_US).filter(pl.col("statement_key") == "count_reading")
    assert rows["errors"].sum() / rows["calls"].sum() == pytest.approx(0.05, rel=0.15)


def test_a_load_comes_in_while_it_lasts_and_the_planner_does_not_know() -> None:
    made = with_trouble("stale_statistics", table="book", size=10, load_minutes=10)
    live = LiveServer(made, NOW)
    before, during, after = (live.objects(NOW + n * MINUTE_US).tables[0] for n in (-5, 5, 30))
    assert before.rows == 400_000 and 400_000 < during.rows < 4_000_000 == after.rows
    assert after.changed_since == pytest.approx(3_600_000, rel=0.01)
    assert after.statistics_us is not None and after.statistics_us < NOW
    counted = live.objects(NOW + 30 * MINUTE_US).tables[0].inserts
    assert counted == pytest.approx(3_600_000, rel=0.05)
    log = frames.metric_frame(made, NOW - 20 * MINUTE_US, NOW + 30 * MINUTE_US)["log_bytes"].to_numpy()
    assert log[21:29].mean() > 5 * max(log[:20].mean(), log[31:].mean())
