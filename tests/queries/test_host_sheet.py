"""The machine below a server: pieces that add up, limits, settings, and what is not told."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.core.host.settings import settings_of
from hardy_gauge.core.host.sheet import memory_pieces
from hardy_gauge.core.narrative.host import fills_words, limit_part
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US
from hardy_gauge.queries.host_sheet import host_sheet
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Snapshot
from tests.queries.builder import HOUR, NOW, Built

GIB = 2**30
VOLUME = {
    "name": "data", "purpose": "data", "capacity_bytes": 100 * GIB, "used_bytes": 60 * GIB, "operations_per_s_limit": 1000.0, "bytes_per_s_limit": None,
}  # fmt: skip


@pytest.fixture
def built(store: Store) -> Built:
    built = Built(store)
    host = {
        "cores": 8,
        "memory_bytes": 16 * GIB,
        "volumes": [VOLUME],
        "settings": {"swap_tendency": "60", "power_saving": "performance", "other": "x"},
    }
    number = built.server("a", host=host)
    at = np.arange(HOUR.since_us // MINUTE_US * MINUTE_US, NOW, MINUTE_US)
    frame = pl.DataFrame({"at_us": at, "span_s": 60.0}).with_columns(
        **{name: pl.lit(60.0 * value) for name, value in (
            ("processor_s.user", 2.0), ("processor_s.system", 1.0), ("processor_s.iowait", 3.0), ("volume_reads.data", 700.0),
            ("volume_writes.data", 200.0), ("volume_read_s.data", 1.4), ("volume_write_s.data", 0.1), ("run_queue_s", 4.0),
        )},
        memory_used_bytes=pl.lit(float(12 * GIB)), sessions_open=pl.lit(100.0),
    )  # fmt: skip
    built.rows(number, "metric", frame)
    settings = [
        {"name": "buffer_cache_bytes", "value": 4 * GIB, "unit": "B", "default": None, "applies": "at restart"},
        {"name": "session_memory_bytes", "value": 10 * 2**20, "unit": "B", "default": None, "applies": "at once"},
    ]
    with store.write() as session:
        session.add(Snapshot(server_id=number, kind="settings", taken_us=NOW, body={"settings": settings}))
    return built


def test_cores_memory_and_volumes(built: Built) -> None:
    found = host_sheet(built.reader, HOUR, "a")
    assert [(one.name, one.value) for one in found.busy] == pytest.approx(
        [("user", 2.0), ("system", 1.0), ("iowait", 3.0)]
    )
    assert found.waiting_per_core == pytest.approx(0.5) and not found.volumes[0].soon
    assert {one.name: one.value for one in found.memory} == {
        "buffer cache": 4 * GIB, "buffers of sessions": 1000 * 2**20, "other processes and the system": 8 * GIB - 1000 * 2**20,
        "free, or kept for files": 4 * GIB,
    }  # fmt: skip
    (volume,) = found.volumes
    assert (volume.reads, volume.writes, volume.under_way) == pytest.approx((700.0, 200.0, 1.5))
    assert (volume.read_s, volume.write_s) == pytest.approx((0.002, 0.0005)) and limit_part(volume) == pytest.approx(
        0.9
    )
    assert found.sentence.startswith(
        "On a, 3 of 8 cores are busy (38%), 75% of memory is used, volume data is at 90% of what was bought"
    )


def test_settings_of_the_system_and_what_is_advised() -> None:
    rows = {one.name: one for one in settings_of({"swap_tendency": "60", "power_saving": "performance", "other": "x"})}
    assert rows["swap_tendency"].well is False and rows["power_saving"].well is True and rows["other"].well is None


@given(st.integers(1, 2**40), *[st.one_of(st.none(), st.floats(0, 2**41)) for _ in range(4)])
def test_memory_adds_up(
    total: int, used: float | None, available: float | None, cache: float | None, sessions: float | None
) -> None:
    pieces = memory_pieces(total, used, available, cache, sessions)
    assert (sum(one.value for one in pieces) == pytest.approx(total)) if used is not None else pieces == []
    assert all(one.value > 0 for one in pieces)


def test_a_host_that_is_not_told(store: Store) -> None:
    built = Built(store)
    built.server("blind")
    found = host_sheet(built.reader, HOUR, "blind")
    assert "does not tell what machine" in found.sentence and len(found.unknown) == 7
    assert (
        fills_words(None, False) == "does not fill, as far as is known"
        and fills_words(1e5, False) == "does not fill within ten years"
    )
    assert fills_words(88.9, False, 88.899, 88.901) == "fills in 88.9 days"
    assert fills_words(23.0, False, 19.0, 31.0) == "fills in 23.0 days (19.0 days to 31.0 days)"
    assert fills_words(1.0, True) == "fills in 24.0 h, by the last two hours"


def test_what_goes_over_the_network_and_which_tables_grow(store: Store) -> None:
    built = Built(store)
    number = built.server("b")
    at = np.arange(HOUR.since_us, NOW, MINUTE_US)
    sizes = {"at_us": at, "span_s": 60.0, "network_bytes_sent": 600.0, "network_bytes_received": 60.0}
    built.rows(number, "metric", pl.DataFrame(sizes))
    hours = [NOW - n * HOUR_US for n in range(48, 0, -1)]
    rows = [
        {"at_us": when, "table": table, "column": None, "heap_bytes": 1e9 + grows * n, "index_bytes": 1e8 if table == "loan" else None,
         "needed_bytes": {"loan": 0.6e9, "hold": 2e9, "title": 1e9}.get(table)}
        for n, when in enumerate(hours) for table, grows in (("loan", 3e6), ("hold", 1e6), ("title", 0.0), ("shrinks", -1e6))
    ]  # fmt: skip
    built.rows(number, "table", pl.DataFrame(rows, schema_overrides={"column": pl.String}))
    found = host_sheet(built.reader, HOUR, "b")
    assert (found.sent, found.received) == pytest.approx((10.0, 1.0))
    assert [(one.table, one.bytes_per_day, one.share) for one in found.growing or []] == [
        ("loan", pytest.approx(72e6), pytest.approx(0.75)),
        ("hold", pytest.approx(24e6), pytest.approx(0.25)),
    ]
    assert found.growing is not None and found.growing[0].bytes == pytest.approx(1.1e9 + 47 * 3e6)
    assert found.space is not None and found.space.allocated_bytes == pytest.approx(3e9 + 47 * 4e6)
    assert (found.space.needed_bytes, found.space.most, found.space.most_bytes) == (
        pytest.approx(2.6e9 + 47e6),
        "loan",
        pytest.approx(0.4e9 + 47 * 3e6),
    )
    built.server("mute")
    assert host_sheet(built.reader, HOUR, "mute").space is None
    assert host_sheet(built.reader, HOUR, "mute").growing is None, "not known is not none"
