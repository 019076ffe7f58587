"""A practice scenario played to its present and recorded as any server is, without a network: what is known is what a probe says.

The practice fleet answers in this process by a clock that is moved by hand; its history is brought in, and the last minutes are
looked at one by one.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import cast

from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.history_backfill import backfill
from hardy_gauge.capture.registration import RegisteredServer, register
from hardy_gauge.capture.rules import CaptureRule
from hardy_gauge.capture.targets import set_rules
from hardy_gauge.core.time.span import MINUTE_US
from hardy_gauge.errors import InvalidInput, ProbeError
from hardy_gauge.probes.in_process import answering
from hardy_gauge.probes.protocol import RemembersPast
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.database import Store
from practice_fleet.http_app import build
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.reading import ScenarioError, load_scenario

ADDRESS = "http://practice.invalid"  # a name that no network has (RFC 6761)
LIVE_MINUTES = 3
BACK_US = tuple(
    minutes * MINUTE_US for minutes in (0, 10, 30, 60, 120, 360, 1440)
)  # a server may be down at the present


class BadScenario(InvalidInput):
    """A scenario file that cannot be used."""

    title = "The scenario cannot be played"


@dataclass
class Clock:
    """Now, in microseconds, where it is put."""

    us: int

    def __call__(self) -> int:
        return self.us


def read_scenario(path: Path) -> Scenario:
    """A scenario from its file; BadScenario names the line and what would be right."""
    try:
        return load_scenario(path)
    except ScenarioError as error:
        raise BadScenario(str(error), "scenario") from error


@contextmanager
def recorded(scenario: Scenario, folder: Path, now_us: int, names: Sequence[str] | None = None) -> Iterator[Reader]:
    """A reader of a new store in ``folder`` with the history of the servers named (None: of all), as it is at ``now_us``, and
    with their probes still to ask.
    """
    live_us = now_us - LIVE_MINUTES * MINUTE_US
    clock = Clock(live_us)
    wanted = list(scenario.servers()) if names is None else list(names)
    store = Store(folder / "scenario.db")
    with store.write() as session:  # each look of the last minutes stands for its minute
        set_rules(session, [CaptureRule.model_validate({"name": "each minute", "sample": "60 s"})], live_us)
    try:
        with answering(ADDRESS, build(scenario, now_us, clock)):
            joined = [_joined(store, name, clock, live_us) for name in wanted]
            clock.us = live_us
            collector = Collector(store, clock=clock)
            try:
                for minute in range(LIVE_MINUTES + 1):
                    clock.us = now_us - (LIVE_MINUTES - minute) * MINUTE_US
                    for recorder in collector.recorders:
                        recorder.look_again(clock())  # one that fails is a gap, as it would be
                    collector.write()
                yield Reader(store, clock)
            finally:
                collector.stop()
                for one in joined:
                    one.probe.close()
    finally:
        store.close()


def _joined(store: Store, name: str, clock: Clock, live_us: int) -> RegisteredServer:
    """A server with its history: of one that is down, as it was when it answered last."""
    for back_us in BACK_US:
        clock.us = live_us - back_us
        try:
            (one,) = register(store, [f"{ADDRESS}/servers/{name}"])
            backfill(store, one.server_id, cast(RemembersPast, one.probe), one.identity, clock())
            return one
        except ProbeError as error:
            last = error
    raise last
