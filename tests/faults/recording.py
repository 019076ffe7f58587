"""A collector in a process of its own that records one server as fast as it goes, until it is killed.

Says over its connection how far what it has written reaches: each number is an acknowledgement. The test's fork server has
imported this module, so that a life begins at once.
"""

from __future__ import annotations

from multiprocessing.connection import Connection
from pathlib import Path

import httpx

from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.registration import register
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState
from tests.patience import PATIENT_S


def record(path: str, address: str, said: Connection) -> None:
    """Record until killed."""
    store = Store(Path(path))
    register(store, [address])
    client = httpx.Client(trust_env=False)

    def clock() -> int:
        return int(client.get(f"{address}/clock").json())

    collector = Collector(store, clock=clock)
    collector.recorders[0].probe.deadline_s = PATIENT_S
    while True:
        collector.tick()
        collector.settle(PATIENT_S)
        collector.write()
        with store.read() as session:
            said.send(session.get_one(CaptureState, 1).recorded_until_us)
