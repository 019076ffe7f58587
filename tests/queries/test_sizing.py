"""What sizing aids are told of a server: busy minutes, settings by their neutral names, volumes as far as they are reported."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

from hardy_gauge.core.time.span import DAY_US, MINUTE_US
from hardy_gauge.diagnose.cache_curve import cache_curve_of
from hardy_gauge.errors import NotFound, Unsupported
from hardy_gauge.queries.sizing import sizing_sheet
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Snapshot
from tests.queries.builder import NOW, Built

GIB = 2**30
DATA = {
    "name": "data",
    "purpose": "data",
    "capacity_bytes": 100 * GIB,
    "used_bytes": 60 * GIB,
    "operations_per_s_limit": 1000.0,
}


@pytest.fixture
def built(store: Store) -> Built:
    built = Built(store)
    host = {"cores": 8, "memory_bytes": 16 * GIB, "volumes": [DATA, {**DATA, "name": "log", "purpose": "log"}]}
    number = built.server("a", host=host, engine="postgresql")
    at = np.arange(NOW // MINUTE_US * MINUTE_US - DAY_US, NOW, MINUTE_US)
    busy = np.where(np.arange(len(at)) % 10 == 0, 5.0, 1.0)  # one minute in ten
    frame = pl.DataFrame({"at_us": at, "span_s": 60.0, "calls": 6000.0 * busy, "time_s": 120.0 * busy, "log_bytes": 6e7 * busy}).with_columns(
        **{"volume_reads.data": 6000.0 * busy, "volume_writes.data": 600.0 * busy, "volume_read_bytes.data": 6e8 * busy, "volume_read_s.data": pl.lit(6.0)},
        sessions_open=pl.lit(50.0), pages_written=pl.lit(6000.0) * busy, pages_written_by_sessions=pl.lit(3000.0) * busy,
    )  # fmt: skip
    built.rows(number, "metric", frame)
    settings = [
        {"name": "shared_buffers", "value": GIB // 8192, "unit": "8kB", "default": None, "applies": "at restart"},
        {"name": "max_wal_size", "value": 256, "unit": "MB", "default": None, "applies": "at once"},
        {"name": "checkpoint_timeout", "value": 300, "unit": "s", "default": None, "applies": "at once"},
        {"name": "work_mem", "value": 4096, "unit": "kB", "default": None, "applies": "at once"},
        {"name": "max_connections", "value": 100, "unit": None, "default": None, "applies": "at restart"},
        {"name": "bgwriter_lru_maxpages", "value": 100, "unit": None, "default": None, "applies": "at once"},
        {"name": "bgwriter_delay", "value": 0.2, "unit": "s", "default": None, "applies": "at once"},
    ]
    index = {"name": "loan_pkey", "columns": ["id"], "unique": True, "bytes": 2 * GIB}
    tables = [{"name": "loan", "rows": 1, "bytes": 6 * GIB, "columns": [], "indexes": [index]}]
    with store.write() as session:
        session.add(Snapshot(server_id=number, kind="schema", taken_us=NOW, body={"tables": tables}))
        session.add(Snapshot(server_id=number, kind="settings", taken_us=NOW, body={"settings": settings}))
    return built


def test_aids_of_a_postgresql(built: Built) -> None:
    sheet = sizing_sheet(built.reader, "a")
    aids = {one.name: one for one in sheet.aids}
    assert sheet.days == pytest.approx(1.0, abs=0.01) and sheet.curve is None
    assert set(aids) == {"memory", "cache", "sessions", "log", "background_writes", "storage", "restart"}
    assert [one.title for one in sheet.lacking] == ["Partitions of the buffer cache", "Cache curve"]
    facts = {name: {fact.what: fact.value for fact in one.facts} for name, one in aids.items()}
    assert facts["sessions"]["calls a second in 95 minutes of 100"] == pytest.approx(500)
    assert facts["sessions"]["sessions at work then"] == pytest.approx(10), "500 a second of 20 ms (Little)"
    assert facts["memory"]["buffer cache"] == GIB and facts["memory"]["memory of a sort"] == 2**22
    assert facts["storage"]["requests of data in 95 minutes of 100"] == pytest.approx(550)
    assert "requests of log in 95 minutes of 100" not in facts["storage"], "what is not reported is not nothing"
    assert facts["restart"]["pace at which the data volume reads"] == pytest.approx(6e8 * 1.4 / 6.0)
    log = aids["log"].remedy
    assert log is not None and log.setting is not None and log.setting.name == "max_wal_size"
    assert log.setting.value == "1GB", "up to the size of the buffer cache"
    assert log.script.startswith("ALTER SYSTEM SET max_wal_size = '1GB'") and "max_wal_size = '256MB'" in log.undo
    cache = aids["cache"].remedy
    assert facts["cache"]["tables and indexes"] == 8 * GIB and facts["cache"]["time of a read"] < 0.001
    assert cache is not None and cache.setting is not None and cache.setting.value == "9012MB", "1.1 times the data"
    writes = aids["background_writes"]
    assert facts["background_writes"]["rate that is set"] == 500, "100 pages each 0.2 s"
    assert writes.remedy is not None and "bgwriter_lru_maxpages = 160" in writes.remedy.script, (
        "500 + 1.2 × 250 a second"
    )
    assert "capacity of the log" in sheet.sentence


def test_a_server_of_which_nothing_is_known(built: Built) -> None:
    built.server("bare")
    sheet = sizing_sheet(built.reader, "bare")
    assert not sheet.aids and len(sheet.lacking) == 9 and sheet.sentence.startswith("Nothing that sizes are made from")
    with pytest.raises(NotFound):
        sizing_sheet(built.reader, "nobody")
    with pytest.raises(Unsupported, match="tells neither which pages"):
        cache_curve_of(built.reader, "bare")
