"""Figures scraped beside a server: recorded with it, and a part that is not recorded when the address fails."""

from __future__ import annotations

from sqlalchemy import select

from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.registration import register
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Gap, Server
from tests.faults.fake import SECOND, FakeServer


def test_figures_beside_a_server_are_recorded_with_it(store: Store) -> None:
    fake = FakeServer("good")
    told = {"pages": 100}
    text = "# TYPE pool_open gauge\npool_open 4\n# TYPE pages counter\npages_total {pages}\n# EOF\n"
    good = True

    def beside(path: str) -> tuple[int, bytes] | None:
        if path != "metrics":
            return None
        return (200, text.format(**told).encode()) if good else (503, b"")

    fake.spoil = beside
    (server,) = register(store, [fake.address])
    with store.write() as session:
        session.get_one(Server, server.server_id).scrapes = [f"{fake.address}/metrics"]
    collector = Collector(store, clock=lambda: fake.now)

    def minute() -> None:
        fake.now += 60 * SECOND
        fake.calls += 600
        told["pages"] += 120
        collector.tick()
        collector.settle(10)
        collector.write()

    for _ in range(3):
        minute()
    good = False
    minute()
    collector.stop()
    fake.http.shutdown()
    with store.read() as session:
        frame = segments.read(session, [server.server_id], "metric", 0, 2**62).sort("at_us")
        gap = session.scalars(select(Gap)).one()
    assert frame["calls"].to_list() == [600.0] * 3, "the server itself is recorded on"
    assert frame["own.pool_open"].to_list() == [4.0, 4.0, None]
    assert frame["own.pages per s"].to_list() == [2.0, 2.0, None]
    assert gap.kind == "not scraped" and "status 503" in gap.reason
