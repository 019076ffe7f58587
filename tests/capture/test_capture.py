"""Bringing in history and going on live: every minute once, changes and plans with it."""

from __future__ import annotations

import polars as pl
import pytest
from sqlalchemy import func, select

from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.history_backfill import backfill
from hardy_gauge.capture.registration import RegisteredServer, discover, register
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState, Change, Gap, Plan, Snapshot, Statement
from tests.conftest import wait_until

MINUTE_US = 60_000_000


@pytest.fixture
def desk(store: Store, practice: str) -> RegisteredServer:
    return next(s for s in register(store, discover(practice)) if s.name == "desk-a")


def test_history_comes_in_once(store: Store, desk: RegisteredServer) -> None:
    first = backfill(store, desk.server_id, desk.probe, desk.identity, clock_us() - 60 * MINUTE_US)
    rest = backfill(store, desk.server_id, desk.probe, desk.identity, clock_us())
    again = backfill(store, desk.server_id, desk.probe, desk.identity, clock_us())
    assert first > 9 * 1380 and 59 <= rest <= 62 and again <= 1
    with store.read() as session:
        minutes = segments.read(session, [desk.server_id], "metric", 0, 2**62)
        work = segments.read(session, [desk.server_id], "statement", 0, 2**62)
        assert minutes["at_us"].n_unique() == len(minutes) == first + rest + again
        assert (minutes["at_us"].diff().drop_nulls() == MINUTE_US).all()
        assert not work.select("at_us", "statement").is_duplicated().any()
        assert work["time_s"].sum() == pytest.approx(minutes["time_s"].sum(), rel=1e-9)
        assert session.scalar(select(func.count()).select_from(Statement)) == 11
        assert [c.object for c in session.scalars(select(Change))] == ["hold_request_title"]
        plans = session.scalar(select(func.count()).select_from(Plan))
        assert plans == 12, "11 statements, one of which changed its plan"
        assert {s.kind for s in session.scalars(select(Snapshot))} == {"settings", "schema"}


def test_families_are_assigned_and_literals_are_gone(store: Store, desk: RegisteredServer) -> None:
    now = clock_us()
    with store.write() as session:
        session.get_one(CaptureState, desk.server_id).recorded_until_us = now - 30 * MINUTE_US
    backfill(store, desk.server_id, desk.probe, desk.identity, now)
    with store.read() as session:
        samples = segments.read(session, [desk.server_id], "sample", 0, 2**62)
        texts = session.scalars(select(Statement.text)).all()
    families = dict(samples.select("wait_event", "wait_family").unique().iter_rows())
    assert families["page_read"] == "data read" and families["running"] == "processor"
    assert "other" not in families.values()
    assert not any("'waiting'" in text for text in texts)
    assert samples["statement"].null_count() == 0 and (samples["statement"] > 0).all()


def test_collector_records_live(store: Store, practice: str) -> None:
    servers = register(store, discover(practice))
    collector = Collector(store, write_s=0.5)
    began = clock_us()

    def samples() -> pl.DataFrame:
        with store.read() as session:
            return segments.read(session, [s.server_id for s in servers], "sample", began, 2**62)

    collector.start()
    # at night it may be some seconds until a session is seen
    wait_until(lambda: len(samples()) and samples()["at_us"].n_unique() >= 3)
    collector.stop()
    with store.read() as session:
        states = session.scalars(select(CaptureState)).all()
    assert samples().select("at_us", "server_id", "session").is_unique().all()
    assert all(state.error == "" and state.seen_us > began for state in states)


def test_a_restart_leaves_a_gap_from_the_last_look_on(store: Store, desk: RegisteredServer) -> None:
    """Sessions were looked at until the end, though the counters' last interval was cut off."""
    stopped = clock_us() - 60 * MINUTE_US
    with store.write() as session:
        state = session.get_one(CaptureState, desk.server_id)
        state.recorded_until_us, state.seen_us = stopped - 25_000_000, stopped
    collector = Collector(store, [desk.server_id])
    collector.recorders[0].tick(clock_us())
    collector.write()
    backfill(store, desk.server_id, desk.probe, desk.identity, clock_us())
    with store.read() as session:
        gaps = session.scalars(select(Gap).where(Gap.server_id == desk.server_id)).all()
    assert gaps and all(gap.from_us >= stopped for gap in gaps)
    assert gaps[0].from_us == stopped


def test_changed_setting_is_recorded(store: Store, desk: RegisteredServer) -> None:
    collector = Collector(store, [desk.server_id])
    recorder = collector.recorders[0]
    recorder.tick(clock_us())
    collector.write()
    assert recorder.batch.settings is None
    changed = desk.probe.settings()
    changed.settings[0].value = 42
    recorder.batch.settings = changed
    collector.write()
    collector.stop()
    with store.read() as session:
        titles = [c.title for c in session.scalars(select(Change).where(Change.kind == "setting"))]
    assert titles == ["buffer_cache_bytes changed from 1 GiB to 42 B"]
