"""Pins of a server that plays: told with a reason, recorded within a minute, judged by what was counted, taken back."""

from __future__ import annotations

import pytest
from sqlalchemy import select

from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.pinning import pin_plan
from hardy_gauge.capture.registration import RegisteredServer, discover, register
from hardy_gauge.core.evidence.evidence import Unknown
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.errors import InvalidInput, NotFound, Unsupported
from hardy_gauge.probes.protocol import ExplainRequest, PinsPlans
from hardy_gauge.queries.pins import pin_sheet, pinned_plans, pins_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Change, Server, Statement


@pytest.fixture
def desk(store: Store, practice: str) -> RegisteredServer:
    return next(s for s in register(store, discover(practice)) if s.name == "desk-a")


def test_pinned_recorded_judged_and_taken_back(store: Store, desk: RegisteredServer) -> None:
    probe, reader, now = desk.probe, Reader(store, clock_us), clock_us()
    assert isinstance(probe, PinsPlans) and not probe.pins().pins
    collector = Collector(store)
    (recorder,) = [one for one in collector.recorders if one.server_id == desk.server_id]
    recorder.look_again(now)
    collector.write()
    with store.read() as session:
        server = session.get_one(Server, desk.server_id)
        found = session.scalars(select(Statement).where(Statement.text.contains("FROM fine"))).first()
        assert found is not None, session.scalars(select(Statement.text)).all()
    assert pin_sheet(reader, "desk-a", Span(now - MINUTE_US, now)).sentence.startswith("No plan is pinned")
    plan = probe.explain(ExplainRequest(text=found.text)).plan_key
    with pytest.raises(InvalidInput, match="reason"):
        pin_plan(store, server, found.fingerprint, plan, "  ", "ada", now)
    with pytest.raises(NotFound, match="counts no statement"):
        pin_plan(store, server, "nothing", plan, "to see", "ada", now)
    pin_plan(store, server, found.fingerprint, plan, "the other reads all of it", "ada", now)
    (kept,) = probe.pins().pins
    assert kept.plan_key == plan and kept.since_us is not None
    for minute in (1, 2):
        recorder.look_again(now + minute * MINUTE_US)
    collector.write()
    (row,) = pin_sheet(reader, "desk-a", Span(now - MINUTE_US, now + 3 * MINUTE_US)).pins
    assert (row.pin.fingerprint, row.pin.plan_key, row.pin.free_key) == (found.fingerprint, plan, plan)
    assert row.pin.kept_cost and row.state in ("chosen anyway", "no calls")
    assert pinned_plans(reader, [server], found.fingerprint) == {(server.id, plan)}
    earlier = pins_of(reader, server, Span(now - 3 * MINUTE_US, now - 2 * MINUTE_US))
    assert not isinstance(earlier, Unknown) and not earlier, "it was pinned after that"
    pin_plan(store, server, found.fingerprint, None, "gathered anew", "ada", now + MINUTE_US)
    recorder.look_again(now + 3 * MINUTE_US)
    collector.write()
    assert not pin_sheet(reader, "desk-a", Span(now, now + 4 * MINUTE_US)).pins and not probe.pins().pins
    with store.read() as session:
        said = [(c.title, c.object, c.who) for c in session.scalars(select(Change).where(Change.who == "ada"))]
    assert said == [
        (f"plan {plan} was pinned: the other reads all of it", found.fingerprint, "ada"),
        ("its pin was taken back: gathered anew", found.fingerprint, "ada"),
    ]


def test_a_server_without_pins(store: Store, desk: RegisteredServer) -> None:
    with store.write() as session:
        server = session.get_one(Server, desk.server_id)
        server.abilities = [one for one in server.abilities if one != "pins"]
    with pytest.raises(Unsupported, match="no way to pin"):
        pin_plan(store, server, "f", "p", "to see", "ada", clock_us())
    sheet = pin_sheet(Reader(store, clock_us), "desk-a", Span(0, 1))
    assert not sheet.able and "no way to pin" in sheet.sentence
