"""One cluster from a store whose members are known: balance, loss and return, partitions on the move, settings."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

from hardy_gauge.core.cluster.rebalancing import time_left
from hardy_gauge.core.narrative.capture import NOT_RUNNING, NOT_STORED
from hardy_gauge.core.time.span import MINUTE_US
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.cluster_sheet import cluster_sheet
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Gap, Snapshot
from tests.queries.builder import HOUR, NOW, Built

LOST, BACK = NOW - 40 * MINUTE_US, NOW - 20 * MINUTE_US


def minutes(built: Built, server: int, calls_per_s: float, **levels: np.ndarray | float) -> None:
    at = np.arange(HOUR.since_us // MINUTE_US * MINUTE_US, NOW, MINUTE_US)
    frame = pl.DataFrame({"at_us": at, "span_s": 60.0, "time_s": 30.0, "calls": calls_per_s * 60.0}).with_columns(
        **{name: pl.Series(np.broadcast_to(value, at.shape).astype(float)) for name, value in levels.items()}
    )
    built.rows(server, "metric", frame)


@pytest.fixture
def built(store: Store) -> Built:
    """Three members, one of which was gone for twenty minutes; its partitions were copied, and are on their way back."""
    built = Built(store)
    at = np.arange(HOUR.since_us // MINUTE_US * MINUTE_US, NOW, MINUTE_US)
    seen = np.where((at >= LOST) & (at < BACK), 2, 3)
    coming = np.where((at >= LOST) & (at < LOST + 10 * MINUTE_US), 8.0, 0.0)
    back = np.where(at >= BACK, 60.0 - 2.0 * ((at - BACK) // MINUTE_US), 0.0)
    for name, calls in (("a", 10.0), ("b", 10.0), ("c", 20.0)):
        number = built.server(name, role="member")
        minutes(built, number, calls, members_seen=seen, partitions_coming=back if name == "c" else coming)
    built.gap(3, "gap", LOST, BACK)
    with store.write() as session:
        for number, size in ((1, 4), (2, 4), (3, 8)):
            setting = {"name": "cache", "value": size * 2**20, "unit": "B", "concerns": "work"}
            session.add(Snapshot(server_id=number, kind="settings", taken_us=NOW, body={"settings": [setting]}))
    return built


def test_members_beside_each_other(built: Built) -> None:
    found = cluster_sheet(built.reader, Window(HOUR), "quay")
    parts = {one.server: one.calls_part for one in found.members}
    assert parts == pytest.approx({"a": 0.25, "b": 0.25, "c": 0.5})
    assert all(one.even == pytest.approx(1 / 3) and one.answers and one.members_seen == 3 for one in found.members)
    assert [(one.name, one.values) for one in found.settings] == [("cache", {"4 MiB": ["a", "b"], "8 MiB": ["c"]})]
    assert "uneven: c does 50% of the calls" in found.odd[0]


def test_a_members_loss_and_return_is_told_in_order(built: Built) -> None:
    story = list(cluster_sheet(built.reader, Window(HOUR), "quay").story)
    assert story == [
        "At 14:20 1 member fewer was seen: 2 instead of 3.",
        "From 14:20 to 14:30 partitions were on the move, 16 of them at most.",
        "c did not answer from 14:20 to 14:40, 20.0 min.",
        "At 14:40 3 members were seen again.",
        "Since 14:40 up to 60 partitions are on the move.",
    ]


def test_how_long_partitions_will_still_move(built: Built) -> None:
    found = cluster_sheet(built.reader, Window(HOUR), "quay")
    left = {one.server: one.left for one in found.members}
    assert left["a"] is None and left["c"] is not None
    assert (
        left["c"].value == pytest.approx(22 / 2 * 60)
        and "22 partitions are on the move, done in about 11.0 min" in found.sentence
    )


def test_no_such_cluster(built: Built) -> None:
    with pytest.raises(NotFound, match="no cluster 'wharf'"):
        cluster_sheet(built.reader, Window(HOUR), "wharf")


def test_time_left_covers_the_truth_with_noise_and_says_nothing_where_it_cannot() -> None:
    draw, inside = np.random.default_rng(8), 0
    times = np.arange(15) * MINUTE_US
    for _ in range(100):
        moving = 100.0 - 4.0 * np.arange(15) + draw.normal(0, 2, 15)
        found = time_left(times, moving)
        assert found is not None
        inside += found.low <= moving[-1] / 4 * 60 <= (found.high or np.inf)
    assert inside >= 90
    assert time_left(times, np.full(15, 5.0)) is None and time_left(times, np.arange(15.0)) is None
    assert time_left(times, np.zeros(15)) is None and time_left(times[:3], np.array([9.0, 8.0, 7.0])) is None


def test_a_gap_of_ours_is_no_silence_of_a_member(store: Store, built: Built) -> None:
    with store.write() as session:
        for reason in (NOT_RUNNING, f"{NOT_STORED}: the disk is full"):
            session.add(Gap(server_id=1, kind="gap", from_us=LOST, to_us=BACK, reason=reason))
    story = cluster_sheet(built.reader, Window(HOUR), "quay").story
    mine = [line for line in story if line.startswith("a ")]
    assert mine == [
        "a was not recorded from 14:20 to 14:40: capture was not running.",
        "a was not recorded from 14:20 to 14:40: what was recorded could not be stored: the disk is full.",
    ]
