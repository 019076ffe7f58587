"""A pooler queues where the server does not see it; a volume's credit is used up and comes back; a slow network is felt by all."""

from __future__ import annotations

import numpy as np
import pytest
from pydantic import ValidationError

from practice_fleet import frames
from practice_fleet.history import History
from practice_fleet.physics.burst import credit
from practice_fleet.physics.pooler import pooled
from practice_fleet.physics.queueing import erlang_c
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import HOUR_US, MINUTE_US
from tests.practice.shelf import NOW, document, history, summed

ONE = np.ones((1, 1))


def test_a_pool_is_a_queue_with_so_many_servers() -> None:
    """Erlang C: three sessions, two of them busy on average: 4/9 of the calls wait (as in checks.md)."""
    found = pooled(3, 1e9, 2 * ONE, ONE, 0 * ONE)
    assert float(erlang_c(3, 2.0)) == pytest.approx(4 / 9)
    assert found.wait_s[0] == pytest.approx(4 / 9 / (3 - 2)) and found.given_up[0] == 0
    assert found.waiting[0] == pytest.approx(2 * found.wait_s[0]), "Little's law"


def test_who_finds_no_session_of_the_pool_gives_up_unseen_by_the_server() -> None:
    pool = {"sessions": 1, "patience_s": 5}
    crowded, free = history(cluster__pooler=pool, statement__find_book__rate=4000), history(cluster__pooler=pool)
    busy = frames.metric_frame(crowded, NOW, NOW + 5 * MINUTE_US)
    calm = frames.metric_frame(free, NOW, NOW + 5 * MINUTE_US)
    assert (busy["pool_timeouts"] > 0).all() and (calm["pool_timeouts"] == 0).all()
    assert (busy["sessions_refused"] == 0).all(), "the server never saw them"
    assert (busy["pool_wait_s"] > calm["pool_wait_s"]).all()
    sessions = frames.sample_frame(crowded, NOW, NOW + MINUTE_US).group_by("at_us").len()["len"].mean()
    assert float(sessions) <= 1.5  # type: ignore[arg-type]
    assert set(busy["pool_sessions"]) == {1.0}


def test_credit_goes_with_what_is_asked_and_comes_at_the_lasting_rate() -> None:
    asked = np.array([100.0] * 3 + [400.0] * 4 + [0.0] * 5)
    levels = credit(asked, lasting=100, burst=300, full=24_000, start=24_000)
    assert levels[:4].tolist() == [24_000] * 4
    assert levels[4:8].tolist() == [12_000, 0, 0, 0], "two hundred a second above what lasts"
    assert levels[8:].tolist() == [6000, 12_000, 18_000, 24_000, 24_000]


def test_reads_wait_when_the_credit_is_used_up() -> None:
    burst = {
        "volume__operations_per_s_limit": 120.0,
        "volume__burst_operations_per_s": 3000.0,
        "volume__burst_credit": 400_000.0,
    }
    job = [{"cause": "burst_credit_used_up", "servers": ["shelf-a"], "start_minutes_ago": 0, "size": 150.0}]
    ill = history(troubles=job, statement__find_book__rate=3, statement__count_reading__rate=3, **burst)
    frame = frames.metric_frame(ill, NOW - HOUR_US, NOW + 3 * HOUR_US)
    left = frame["volume_credit_share.data"].to_numpy()
    assert left[:60].min() == 1.0 and left[-1] == 0.0
    gone = int(np.argmax(left == 0))
    reads = summed(frames.statement_frame(ill, NOW - HOUR_US, NOW + 3 * HOUR_US), "at_us")
    per_page = (reads["wait.page_read"] / reads["pages_read"]).to_numpy()
    assert per_page[gone + 5 :].mean() > 5 * per_page[70 : gone - 1].mean()
    assert (frame["volume_credit_share.data"] >= 0).all()


def test_the_first_day_of_a_history_is_whole() -> None:
    """It begins before the history does, at midnight."""
    burst = {
        "volume__operations_per_s_limit": 1.0,
        "volume__burst_operations_per_s": 3000.0,
        "volume__burst_credit": 20_000.0,
    }
    made = history(**burst)
    first = frames.metric_frame(made, made.server.start_us, made.server.start_us + 12 * HOUR_US)
    assert len(first) == 720 and first["volume_credit_share.data"][-1] < 1


def test_a_burst_needs_what_lasts_and_a_credit() -> None:
    with pytest.raises(ValidationError, match="needs an operations_per_s_limit that is lower"):
        Scenario.model_validate(document(volume__burst_operations_per_s=3000.0, volume__burst_credit=1e5))
    with pytest.raises(ValidationError, match="needs a burst_credit"):
        Scenario.model_validate(document(volume__burst_operations_per_s=3000.0, volume__operations_per_s_limit=100.0))


def test_a_slow_network_is_waited_for_by_every_call() -> None:
    trouble = [{"cause": "network_slow", "servers": ["shelf-a"], "start_minutes_ago": 0}]
    ill, well = history(troubles=trouble), history()

    def per_call(made: History, column: str) -> np.ndarray:
        rows = summed(frames.statement_frame(made, NOW, NOW + 10 * MINUTE_US), "statement_key")
        return np.asarray((rows[column] / rows["calls"]).to_numpy())

    assert (per_call(ill, "wait.send_rows") > 10 * per_call(well, "wait.send_rows")).all(), "of all statements alike"
    assert per_call(ill, "rows_returned") == pytest.approx(per_call(well, "rows_returned"))
    assert set(frames.metric_frame(ill, NOW, NOW + MINUTE_US)["network_retransmitted_share"]) == {0.01}
