"""High 9 and 10, and what is said of the application's own health: damage, a full disk, a store that cannot be written."""

from __future__ import annotations

import json
import logging
import sqlite3
import time
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import httpx
import polars as pl
import psutil
import pytest
from prometheus_client.openmetrics.parser import text_string_to_metric_families
from sqlalchemy import select
from sqlalchemy.exc import OperationalError

from hardy_gauge import logs
from hardy_gauge.api.app import create_app
from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.registration import register
from hardy_gauge.core.activity.capture_work import CaptureWork
from hardy_gauge.settings import AppSettings
from hardy_gauge.store import blocks, segment_rows, segments
from hardy_gauge.store.blocks import DamagedBlock
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import DamagedSegment, Gap, Segment
from hardy_gauge.store.write_health import MEANINGS, WriteHealth
from tests.conftest import Serving, signed_in, wait_until
from tests.faults.fake import FakeServer
from tests.faults.test_serve_killed import LiveServer
from tests.patience import PATIENT_S
from tests.queries.builder import Built
from tests.safety.running import new_application

HOUR = 3_600_000_000


def test_a_block_that_was_changed_is_known(store: Store) -> None:
    """Whatever bit is changed, and blocks of before without a check sum as far as they cannot be read."""
    body = blocks.encode_block(pl.DataFrame({"at_us": range(1000), "value": [1.5] * 1000}))
    assert len(blocks.decode_block(body)) == 1000
    for at in range(0, len(body), max(1, len(body) // 200)):
        with pytest.raises(DamagedBlock):
            blocks.decode_block(body[:at] + bytes([body[at] ^ 0x10]) + body[at + 1 :])
    for spoilt in (b"", body[:100], b"HGB1", body[8:-1]):
        with pytest.raises(DamagedBlock):
            blocks.decode_block(spoilt)
    assert len(blocks.decode_block(body[8:])) == 1000, "a block of before"


@pytest.mark.parametrize("kind", segments.KINDS)
def test_a_damaged_block_is_set_aside_and_the_rest_goes_on(store: Store, kind: segments.Kind) -> None:
    built = Built(store)
    server = built.server("a")
    for hour in range(3):
        frame = pl.DataFrame({segments.TIME[kind]: [hour * HOUR + n for n in range(10)], "value": [1.0] * 10})
        with store.write() as session:
            segments.append(session, server, kind, frame)
    with store.write() as session:
        middle = session.scalars(select(Segment).order_by(Segment.start_us)).all()[1]
        body = session.scalars(select(Segment.body).where(Segment.id == middle.id)).one()
        session.get_one(Segment, middle.id).body = body[:50] + b"\x00\x01\x02" + body[53:]
    segment_rows.forget()
    for _ in range(2):
        with store.read() as session:
            found = segments.read(session, [server], kind, 0, 10 * HOUR)
        assert len(found) == 20
    with store.read() as session:
        gap = session.scalars(select(Gap).where(Gap.kind.like("damaged%"))).one()
        assert session.get(DamagedSegment, middle.id) is not None
    assert (gap.from_us, gap.to_us) == (HOUR, HOUR + 10) and "10 rows" in gap.reason
    with store.write() as session:
        segments.compact(session, 100 * HOUR)
    with store.read() as session:
        assert len(segments.read(session, [server], kind, 0, 10 * HOUR)) == 20


def test_a_damaged_page_of_the_file_costs_its_rows_only(tmp_path: Path) -> None:
    path = tmp_path / "hardy-gauge.db"
    store = Store(path)
    server = Built(store).server("a")
    with store.write() as session:
        for hour in range(4):
            values = [float((n * 7919 + hour) % 1000003) for n in range(30_000)]
            segments.append(
                session,
                server,
                "metric",
                pl.DataFrame({"at_us": [hour * HOUR + n for n in range(30_000)], "value": values}),
            )
    with store.read() as session:
        bodies = {row.id: row.body for row in session.execute(select(Segment.id, Segment.body))}
    store.close()
    with closing(sqlite3.connect(path)) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    content = bytearray(path.read_bytes())
    second = sorted(bodies)[1]
    at = content.find(bodies[second][9000:9060])
    assert at > 0
    page = at // 4096 * 4096
    content[page : page + 4096] = b"\xff" * 4096
    path.write_bytes(content)
    segment_rows.forget()
    store = Store(path)
    with store.read() as session:
        found = segments.read(session, [server], "metric", 0, 10 * HOUR)
    assert len(found) == 90_000
    store.close()


@pytest.fixture
def serving(tmp_path: Path) -> Iterator[tuple[Store, httpx.Client, Collector, FakeServer]]:
    """An application that records a server of this machine, with a write each second."""
    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    store = Store(settings.store_path)
    fake = FakeServer("desk-a")
    fake.now = time.time_ns() // 1000
    (one,) = register(store, [fake.address])
    one.probe.close()
    collector = Collector(store, write_s=1.0)
    collector.start()
    with (
        Serving(create_app(settings, store, poke=collector.poke, work=collector.work)) as serving,
        httpx.Client(base_url=serving.address, trust_env=False, timeout=PATIENT_S) as client,
    ):
        yield store, signed_in(client), collector, fake
    collector.stop()
    fake.http.shutdown()
    store.close()


def test_what_the_databases_words_mean() -> None:
    """The beginnings of SQLite's own messages (sqlite.org/rescode.html)."""
    found = {}
    for words in (*MEANINGS, "UNIQUE constraint failed: x.y"):
        health = WriteHealth()
        health.failed(OperationalError("INSERT", {}, sqlite3.OperationalError(words)))
        found[words] = health.failure.why if health.failure else ""
    assert found == MEANINGS | {"UNIQUE constraint failed: x.y": ""}


def test_a_disk_that_does_not_take_more_is_seen_within_15_s(tmp_path: Path) -> None:
    """The running application may write no file beyond a size that its store has passed and its log has not: Fleet, tape,
    Storage, readiness and log say since when nothing is recorded and why; afterwards it goes on by itself.
    """
    server = LiveServer("s0")
    options = {"HARDY_GAUGE_WRITE_EVERY_S": "1", "HARDY_GAUGE_ALLOW_NETWORKS": "127.0.0.0/8"}
    with new_application(tmp_path / "data", **options) as app:
        client, process = app.head, psutil.Process(app.process.pid)
        added = client.post("/api/connections", json={"servers": [{"address": server.address}]}).json()
        assert not added[0]["error"], added
        wait_until(lambda: '"recording"' in client.get("/api/fleet").text)
        words, most = "the disk does not write", app.log.stat().st_size + 65536
        assert most < (app.folder / "hardy-gauge.db-wal").stat().st_size, (
            "neither the log of writes nor the file may grow"
        )
        process.rlimit(psutil.RLIMIT_FSIZE, (most, psutil.RLIM_INFINITY))
        wait_until(
            lambda: (told := client.get("/api/ready")).status_code == 503 and words in told.json()["sentence"], 15
        )
        wait_until(lambda: words in client.get("/api/fleet").text)
        assert any(words in gap["reason"] for gap in client.get("/api/tape").json()["gaps"])
        assert words in client.get("/api/storage").json()["use"]["sentence"]
        assert client.get("/api/health").status_code == 200 and words in app.log.read_text()
        process.rlimit(psutil.RLIMIT_FSIZE, (psutil.RLIM_INFINITY,) * 2)
        wait_until(lambda: client.get("/api/ready").status_code == 200)
        assert words not in client.get("/api/fleet").text and "can be written again" in app.log.read_text()
    server.http.shutdown()


def test_its_own_figures_are_openmetrics(serving: tuple[Store, httpx.Client, Collector, FakeServer]) -> None:
    """Read by the reference parser of prometheus_client."""
    _, client, _, _ = serving
    for _ in range(3):
        client.get("/api/fleet")
    families = {f.name: f for f in text_string_to_metric_families(client.get("/metrics").text)}
    answers = {
        tuple(s.labels.values()): s.value
        for s in families["hardy_gauge_own_answers"].samples
        if s.name.endswith("_total")
    }
    assert answers[("GET", "/api/fleet", "200")] == 3
    assert families["hardy_gauge_own_servers_recorded"].samples[0].value == 1
    with httpx.Client(base_url=client.base_url, trust_env=False) as stranger:
        assert stranger.get("/metrics").status_code == 401
        assert stranger.get("/api/ready").json() == {"ready": True, "sentence": "", "checks": []}


def test_what_stands_still_is_not_ready(tmp_path: Path) -> None:
    from hardy_gauge.queries.own_health import OwnHealth
    from hardy_gauge.queries.reader import Reader

    settings = AppSettings(data=tmp_path)
    store = Store(settings.store_path)
    work = CaptureWork(ticks=5, ticked_s=time.monotonic() - 60, recorders=2)
    found = OwnHealth(Reader(store, lambda: 1), settings, lambda: work, lambda: 0).readiness()
    states = {check.name: check.state for check in found.checks}
    assert not found.ready and states["recording"] == "wrong" and "60 s" in found.sentence
    assert states["keyring"] == "not used" and states["backups"] == "not used"
    store.close()


def test_the_log_has_time_level_and_request() -> None:
    record = logging.LogRecord("x", logging.ERROR, "f", 1, "it %s", ("broke",), None)
    record.created = 0.5
    token = logs.request_id.set("r1")
    try:
        line = json.loads(logs.JsonLines().format(record))
        text = logs.Text().format(record)
    finally:
        logs.request_id.reset(token)
    assert line == {
        "time": "1970-01-01T00:00:00.500Z",
        "level": "ERROR",
        "logger": "x",
        "message": "it broke",
        "request": "r1",
    }
    assert text == "1970-01-01T00:00:00.500Z ERROR x [r1]: it broke"


def test_a_fault_is_found_by_its_number(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    from fastapi.testclient import TestClient

    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    store = Store(settings.store_path)
    app = create_app(settings, store)

    @app.get("/broken")
    def broken() -> None:
        raise RuntimeError("planted")

    client = TestClient(app, raise_server_exceptions=False)
    answer = client.get("/broken", headers={"x-request-id": "mine-7"})
    assert (
        answer.status_code == 500 and answer.headers["x-request-id"] == "mine-7" and "mine-7" in answer.json()["detail"]
    )
    assert "planted" not in answer.text and any("planted" in str(r.exc_info) for r in caplog.records)
    assert client.get("/api/health", headers={"x-request-id": "no good"}).headers["x-request-id"] != "no good"
    store.close()
