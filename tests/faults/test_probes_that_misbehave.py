"""A probe that fails, lies or hangs costs its own server a recorded gap or reset; the others go on."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import pytest
from sqlalchemy import select

from hardy_gauge.capture.batch import CaptureBatch
from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.recorder import Recorder
from hardy_gauge.capture.registration import register
from hardy_gauge.capture.statement_registry import StatementRegistry
from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.protocol import ProbeError, Refused, Unsupported
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Gap
from tests.faults.fake import SECOND, FakeServer
from tests.patience import PATIENT_S


class Bench:
    """Two fake servers, a collector over them, and a clock that the test moves."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.good, self.bad = FakeServer("good"), FakeServer("bad")
        self.registered = register(store, [self.good.address, self.bad.address])
        self.collector = Collector(store, clock=lambda: self.good.now)
        for recorder in self.collector.recorders:
            recorder.probe.deadline_s = PATIENT_S

    def pass_minutes(self, count: int) -> None:
        for _ in range(count):
            for fake in (self.good, self.bad):
                fake.now += 60 * SECOND
                fake.calls += 600
            self.collector.tick()
            self.collector.settle(PATIENT_S)
        self.collector.write()

    def troubles(self, name: str) -> list[tuple[str, str, bool]]:
        server_id = next(s.server_id for s in self.registered if s.name == name)
        with self.store.read() as session:
            rows = session.scalars(select(Gap).where(Gap.server_id == server_id).order_by(Gap.id))
            return [(gap.kind, gap.reason, gap.to_us is not None) for gap in rows]

    def recorder(self, name: str) -> Recorder:
        server_id = next(s.server_id for s in self.registered if s.name == name)
        return next(r for r in self.collector.recorders if r.server_id == server_id)

    def minutes(self, name: str) -> list[float]:
        server_id = next(s.server_id for s in self.registered if s.name == name)
        with self.store.read() as session:
            frame = segments.read(session, [server_id], "metric", 0, 2**62)
        return frame["calls"].to_list() if len(frame) else []


@pytest.fixture
def bench(store: Store) -> Iterator[Bench]:
    made = Bench(store)
    made.pass_minutes(3)
    assert made.minutes("good") == made.minutes("bad") == [600.0, 600.0], made.troubles("good") + made.troubles("bad")
    yield made
    made.collector.stop()
    made.good.http.shutdown()
    made.bad.http.shutdown()


def hang(_: str) -> tuple[int, bytes]:
    time.sleep(1.2)
    return 200, b"{}"


FAILURES = {
    "status 500": (lambda _: (500, b"oops"), "status 500"),
    "truncated JSON": (lambda _: (200, b'{"at_us": 17954'), "not the protocol"),
    "another protocol": (lambda _: (200, b"<html></html>"), "not the protocol"),
    "wrong types": (lambda _: (200, b'{"at_us": "soon", "sessions": []}'), "not the protocol"),
    "redirect": (lambda _: (302, b""), "status 302"),
    "hangs": (hang, "no answer"),
}


@pytest.mark.parametrize(("spoil", "words"), FAILURES.values(), ids=FAILURES.keys())
def test_failure_is_a_gap_and_others_go_on(bench: Bench, spoil: Callable[[str], tuple[int, bytes]], words: str) -> None:
    bench.bad.spoil = spoil
    if spoil is hang:
        bench.recorder("bad").probe.deadline_s = 0.5
    bench.pass_minutes(2)
    (gap,) = bench.troubles("bad")
    assert gap[0] == "gap" and words in gap[1] and not gap[2], "the gap is open while it lasts"
    assert bench.minutes("good") == [600.0] * 4
    bench.bad.spoil = lambda _: None
    bench.pass_minutes(3)
    assert bench.troubles("bad")[0][2], "and closed when the server answers again"
    assert bench.minutes("bad") == [600.0] * 4, "nothing is guessed for the gap"
    assert bench.troubles("good") == []


def test_rows_that_make_no_table_cost_their_own_server_a_gap(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    plain = CaptureBatch.frames

    def frames(batch: CaptureBatch, registry: StatementRegistry) -> object:
        if batch.rule.name == "spoilt":
            raise ValueError("no table")
        return plain(batch, registry)

    monkeypatch.setattr(CaptureBatch, "frames", frames)
    usual = bench.recorder("bad").rule
    bench.recorder("bad").rule = usual.model_copy(update={"name": "spoilt"})
    with pytest.raises(ValueError, match="no table"):
        bench.pass_minutes(2)
    bench.recorder("bad").rule = usual
    bench.pass_minutes(2)
    assert bench.minutes("good") == [600.0] * 6 and bench.troubles("good") == []
    assert bench.minutes("bad") == [600.0] * 4, "what could not be stored is not stored"
    ((kind, reason, closed),) = bench.troubles("bad")
    assert kind == "gap" and "could not be stored" in reason and closed


def test_counter_that_went_back_is_a_reset(bench: Bench) -> None:
    bench.bad.calls = 5
    bench.pass_minutes(2)
    assert [t[0] for t in bench.troubles("bad")] == ["reset"]
    assert bench.minutes("bad") == [600.0] * 3
    assert bench.minutes("good") == [600.0] * 4


def test_restart_is_a_reset(bench: Bench) -> None:
    bench.bad.started = bench.bad.now
    bench.bad.calls = 10_000
    bench.pass_minutes(2)
    assert bench.troubles("bad") == [("reset", "the server was restarted", True)]
    assert bench.minutes("bad") == [600.0] * 3


def test_clock_an_hour_off_is_recorded_and_ours_is_used(bench: Bench) -> None:
    bench.bad.clock_off = 3600 * SECOND
    bench.pass_minutes(3)
    kinds = [t[0] for t in bench.troubles("bad")]
    assert "clock" in kinds
    server_id = next(s.server_id for s in bench.registered if s.name == "bad")
    with bench.store.read() as session:
        samples = segments.read(session, [server_id], "sample", 0, 2**62)
    assert samples["at_us"].max() <= bench.good.now
    bench.bad.clock_off = 0
    bench.pass_minutes(3)
    assert bench.minutes("good") == [600.0] * 8


def test_answers_have_a_largest_size(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("hardy_gauge.probes.http.MOST_BYTES", 1000)
    bench.bad.spoil = lambda _: (200, b"x" * 5000)
    probe = HttpProbe(bench.bad.address)
    with pytest.raises(ProbeError):
        probe._send("GET", "counters", most_bytes=1000)


def test_refusals_and_missing_abilities_are_told_apart(bench: Bench) -> None:
    probe = HttpProbe(bench.bad.address)
    bench.bad.spoil = lambda _: (422, b'{"detail": "no such column", "field": "text"}')
    with pytest.raises(Refused, match="no such column") as refused:
        probe.counters()
    assert refused.value.field == "text"
    bench.bad.spoil = lambda _: (404, b"{}")
    with pytest.raises(Unsupported, match="does not report"):
        probe.schema()
