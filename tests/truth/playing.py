"""A scenario played to its present, captured as the product captures it, and diagnosed: what was found on which server.

The practice fleet answers on loopback by a clock that stands where it is told to; histories are brought in, and the last minutes are
looked at, so that nothing is known to the product but what a probe says.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast

import uvicorn

from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.history_backfill import backfill
from hardy_gauge.capture.registration import register
from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.diagnosis.runner import NotKnown
from hardy_gauge.diagnose.worker import diagnose_server
from hardy_gauge.probes.protocol import RemembersPast
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.store.database import Store
from practice_fleet.http_app import build
from practice_fleet.scenario.document import Scenario
from tests.conftest import free_port, wait_for

NOW = 1_795_521_600_000_000  # a Tuesday noon
MINUTE_US = 60_000_000
LIVE_MINUTES = 3
DAYS, SAMPLE_DAYS = 9, 2


@dataclass
class Clock:
    us: int

    def __call__(self) -> int:
        return self.us


@dataclass(frozen=True)
class Diagnosed:
    """Findings of one server, the most important first, and causes that could not be looked for."""

    findings: list[Finding]
    unknown: list[NotKnown]

    def causes(self, *grades: str) -> list[str]:
        return [one.cause for one in self.findings if not grades or one.grade in grades]


def shortened(scenario: Scenario, troubles: Sequence[dict[str, Any]], **more: Any) -> Scenario:
    """The scenario with little history, these troubles and no others."""
    document = scenario.model_dump(exclude={"troubles"})
    document |= {"history_days": DAYS, "sample_history_days": SAMPLE_DAYS, "troubles": list(troubles), **more}
    return Scenario.model_validate(document)


@contextmanager
def practice(scenario: Scenario, clock: Clock) -> Iterator[str]:
    """The address of a practice fleet whose present is the clock's."""
    port = free_port()
    server = uvicorn.Server(uvicorn.Config(build(scenario, NOW, clock), port=port, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    address = f"http://127.0.0.1:{port}"
    wait_for(f"{address}/servers")
    try:
        yield address
    finally:
        server.should_exit = True
        thread.join(20)


def diagnosed(scenario: Scenario, names: Sequence[str], folder: Path) -> dict[str, Diagnosed]:
    """Play the scenario to its first start and some minutes more, and diagnose the servers named."""
    clock = Clock(NOW - LIVE_MINUTES * MINUTE_US)
    store = Store(folder / "truth.db")
    try:
        with practice(scenario, clock) as address:
            joined = register(store, [f"{address}/servers/{name}" for name in names])
            for one in joined:
                backfill(store, one.server_id, cast(RemembersPast, one.probe), one.identity, clock())
            collector = Collector(store, clock=clock)
            try:
                for minute in range(LIVE_MINUTES + 1):
                    clock.us = NOW - (LIVE_MINUTES - minute) * MINUTE_US
                    for recorder in collector.recorders:
                        recorder.look_again(clock())  # one that fails is a gap, as it would be
                    collector.write()
                reader = Reader(store, clock)
                found = {}
                for name in names:
                    known = diagnose_server(reader, server_named(reader, name))
                    found[name] = Diagnosed(known.findings, known.unknown)
                return found
            finally:
                collector.stop()
                for one in joined:
                    one.probe.close()
    finally:
        store.close()
