"""A store that is full or read-only, a probe that drips or floods: nothing is lost, nothing is counted twice."""

from __future__ import annotations

import time

import pytest
from sqlalchemy import event, select, text

from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.registration import register
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Gap
from tests.faults.fake import SECOND, FakeServer
from tests.patience import PATIENT_S

MINUTE_US = 60 * SECOND


class Desk:
    """A collector over one fake server, on a clock that the test moves."""

    def __init__(self, store: Store) -> None:
        self.store, self.fake = store, FakeServer("kept")
        register(store, [self.fake.address])
        self.collector = Collector(store, clock=lambda: self.fake.now)
        self.collector.recorders[0].probe.deadline_s = PATIENT_S

    def pass_minutes(self, count: int) -> None:
        for _ in range(count):
            self.fake.now += MINUTE_US
            self.fake.calls += 600
            self.collector.tick()
            self.collector.settle(PATIENT_S)

    def calls(self) -> list[float]:
        with self.store.read() as session:
            frame = segments.read(session, [1], "metric", 0, 2**62)
        return frame.sort("at_us")["calls"].to_list() if len(frame) else []


@pytest.mark.parametrize("pragma", ["max_page_count", "query_only"])
def test_a_store_that_takes_nothing_loses_nothing(store: Store, pragma: str) -> None:
    """Full, or read-only: what was batch is written when there is room again, once."""
    desk = Desk(store)
    desk.pass_minutes(3)
    desk.collector.write()
    with store.engine.connect() as connection:
        pages = connection.execute(text("PRAGMA page_count")).scalar_one()
    value = {"max_page_count": pages, "query_only": 1}[pragma]
    spoil = True

    @event.listens_for(store.engine, "checkout")
    def no_room(connection: object, *_: object) -> None:
        setting = value if spoil else {"max_page_count": 2**30, "query_only": 0}[pragma]
        connection.execute(f"PRAGMA {pragma} = {setting}")  # type: ignore[attr-defined]

    desk.pass_minutes(2)
    desk.collector.recorders[0].batch.samples *= 20_000  # more than the free room of a page
    with pytest.raises(Exception, match=r"full|readonly"):
        desk.collector.write()
    assert desk.calls() == [600.0] * 2
    desk.pass_minutes(2)
    spoil = False
    desk.collector.write()
    desk.collector.write()
    assert desk.calls() == [600.0] * 6
    with store.read() as session:
        assert list(session.scalars(select(Gap))) == [], "nothing was missed"
    desk.collector.stop()
    desk.fake.http.shutdown()


def test_a_probe_that_drips_or_floods_is_given_up(store: Store) -> None:
    desk = Desk(store)
    desk.pass_minutes(2)
    recorder = desk.collector.recorders[0]
    recorder.probe.deadline_s = 0.5
    for flood, words in ((False, "longer than"), (True, "larger than")):
        desk.fake.stream = endless(flood)
        desk.pass_minutes(1)
        assert words in recorder.error
        desk.fake.stream = None
    desk.pass_minutes(1)
    assert recorder.error == ""
    desk.collector.stop()
    desk.fake.http.shutdown()


def endless(flood: bool) -> object:
    """Chunks of an answer that never ends: a byte each 50 ms, or a megabyte at once."""

    def chunks() -> object:
        for _ in range(1024):
            if not flood:
                time.sleep(0.05)
            yield b" " * (2**20 if flood else 1)

    return chunks


def test_our_clock_steps_back_an_hour(store: Store) -> None:
    """The server's clock goes on; each interval is as long as the server says, and the time that comes twice is marked."""
    desk = Desk(store)
    desk.pass_minutes(3)
    desk.fake.now -= 60 * MINUTE_US
    desk.fake.clock_off = 60 * MINUTE_US
    desk.pass_minutes(3)
    desk.collector.write()
    with store.read() as session:
        marks = {(gap.kind, "went back" in gap.reason) for gap in session.scalars(select(Gap))}
    assert desk.calls() == [600.0] * 5, "nothing is lost and nothing is guessed"
    assert ("clock", True) in marks
    desk.collector.stop()
    desk.fake.http.shutdown()
