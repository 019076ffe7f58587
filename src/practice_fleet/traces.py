"""What a trouble leaves to be seen, and where: its example is played beside the same servers without it, and what differs is named.

A figure counts as moved when it differs by a twentieth over the half hour from the first minute on from which it does so in three
minutes of five; a wait also when it comes and goes, if it is a part of all the time that a person would notice.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import polars as pl

from practice_fleet import frames
from practice_fleet.fleet import Fleet
from practice_fleet.history import History
from practice_fleet.live import LiveServer
from practice_fleet.physics.wait_events import EVENTS
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.examples import EXAMPLES
from practice_fleet.server import MINUTE_US

MOVED, OF_FIVE, NEAR, SOON = 0.05, 3, 5, 30
NOTICED = 0.005  # of all time spent
HOURS = 6
MOST_NAMED = 6


@dataclass
class Traces:
    """By source what differs; figures and waits with whether they rise and the minute from which on they do."""

    figures: dict[str, tuple[str, int]] = field(default_factory=dict)
    waits: dict[str, tuple[str, int]] = field(default_factory=dict)
    statements: list[str] = field(default_factory=list)
    sessions: list[str] = field(default_factory=list)
    log: list[str] = field(default_factory=list)
    other: list[str] = field(default_factory=list)

    def cells(self) -> list[str]:
        """What the table of the documentation says of each source."""

        def moved(found: Mapping[str, tuple[str, int]]) -> str:
            named = [f"{name} {way} ({minute})" for name, (way, minute) in list(found.items())[:MOST_NAMED]]
            left = len(found) - len(named)
            return ", ".join(named) + (f" and {left} more" if left else "")

        texts = (", ".join(found) for found in (self.statements, self.sessions, self.log, self.other))
        return [moved(self.figures), moved(self.waits), *texts]


def example_of(scenario: Scenario, cause: str, start_minutes_ago: float = 0) -> Scenario:
    """The scenario with the example of one trouble, and no other."""
    spec = {"cause": cause, "start_minutes_ago": start_minutes_ago} | EXAMPLES[cause]
    return Scenario.model_validate(scenario.model_dump(exclude={"troubles"}) | {"troubles": [spec]})


class Player:
    """Plays examples from one moment on; ``anchor_us`` is when they begin."""

    def __init__(self, scenario: Scenario, anchor_us: int) -> None:
        self.scenario, self.anchor_us = scenario, anchor_us
        self.well = Fleet(scenario.model_copy(update={"troubles": []}), anchor_us)

    def traces(self, cause: str) -> Traces:
        ill = Fleet(example_of(self.scenario, cause), self.anchor_us)
        name = EXAMPLES[cause]["servers"][0]
        found = Traces()
        self._compare(ill.histories[name], self.well.histories[name], found)
        for peer in ill.servers[name].peers:
            if cause in ("member_down", "failover_drill"):
                beside = Traces()
                self._compare(ill.histories[peer], self.well.histories[peer], beside)
                found.other += [f"on its peers: {', '.join(list(beside.figures)[:MOST_NAMED])}"]
                break
        return found

    def _compare(self, ill: History, well: History, found: Traces) -> None:
        start, end = self.anchor_us, self.anchor_us + HOURS * 60 * MINUTE_US
        mine, its = (frames.metric_frame(h, start, end) for h in (ill, well))
        found.figures = _moved(mine, its, [c for c in mine.columns if c != "at_us"] if len(mine) else [])
        mine, its = (_by_event(frames.statement_frame(h, start, end)) for h in (ill, well))
        found.waits = _waited(mine, its)
        self._statements(ill, well, found)
        self._sessions(ill, found)
        live, plain = (LiveServer(h, start - MINUTE_US) for h in (ill, well))
        said = live.messages(start, end).messages
        if said:
            first = min(message.at_us for message in said)
            found.log = [f"{len(said)} from minute {max(0, (first - start) // MINUTE_US)}"]
        self._state(live, plain, found, end - MINUTE_US)

    def _statements(self, ill: History, well: History, found: Traces) -> None:
        at = self.anchor_us + 5 * MINUTE_US
        state, usual = ill.server.state(at), well.server.state(at)
        found.statements += [f"new: {key}" for key in state.statements if key not in usual.statements]
        found.statements += [f"new: {actor.key}" for actor in state.actors]
        changed = [k for k, plan in state.plan_keys.items() if usual.plan_keys.get(k, plan) != plan]
        found.statements += [f"other plan: {', '.join(changed)}"] if changed else []
        found.statements += [f"fails: {', '.join(state.now.failing)}"] if state.now.failing else []
        found.statements += [f"two kinds of calls: {key}" for key in state.now.kinds]

    def _sessions(self, ill: History, found: Traces) -> None:
        start, end = self.anchor_us, self.anchor_us + 60 * MINUTE_US
        seen = frames.sample_frame(ill, start, end)
        blocked = seen.filter(pl.col("blocked_by").is_not_null()) if len(seen) else seen
        if len(blocked):
            found.sessions.append(f"wait for others from minute {(blocked['at_us'].min() - start) // MINUTE_US}")  # type: ignore[operator]
        held = frames.holder_frame(ill, start, end)
        if len(held):
            found.sessions.append(f"idle in transactions from minute {(held['at_us'].min() - start) // MINUTE_US}")  # type: ignore[operator]

    def _state(self, live: LiveServer, plain: LiveServer, found: Traces, at_us: int) -> None:
        if live.server.is_down(self.anchor_us + MINUTE_US):
            found.other.append("does not answer")
        here, there = live.identity(at_us), plain.identity(at_us)
        for words, name in (("restarted", "started_at_us"), ("version", "engine_version"), ("clock", "clock_us")):
            if getattr(here, name) != getattr(there, name):
                found.other.append(words)
        mine, its = ({s.name: s.value for s in one.settings(at_us).settings} for one in (live, plain))
        found.other += [f"setting {name}" for name, value in mine.items() if its[name] != value]
        if (facts := live.host(at_us).settings) != plain.host(at_us).settings:
            found.other.append(f"host: {', '.join(facts)}")
        found.other += _of_objects(live, plain, at_us)


def _of_objects(live: LiveServer, plain: LiveServer, at_us: int) -> list[str]:
    mine, its = ({t.name: t for t in one.schema(at_us).tables} for one in (live, plain))
    found = []
    for name, table in mine.items():
        if table.options != its[name].options:
            found.append(f"options of {name}")
        here, there = ({i.name for i in one.indexes} for one in (table, its[name]))
        found += [f"index {i} gone" for i in sorted(there - here)] + [f"index {i} new" for i in sorted(here - there)]
    rows, usual = ({t.name: t for t in one.objects(at_us).tables} for one in (live, plain))
    for name, counted in rows.items():
        if _differs(counted.rows, usual[name].rows) or _differs(counted.heap_bytes, usual[name].heap_bytes):
            found.append(f"size of {name}")
        if counted.statistics_us != usual[name].statistics_us:
            found.append(f"statistics of {name}")
    return found


def _differs(mine: float, its: float) -> bool:
    return abs(mine - its) > MOVED * max(abs(its), 1e-9)


def _by_event(frame: pl.DataFrame) -> pl.DataFrame:
    columns = [pl.col(f"wait.{event}").sum().alias(event) for event in EVENTS]
    return frame.group_by("at_us").agg(columns).sort("at_us") if len(frame) else frame


def _moved(mine: pl.DataFrame, its: pl.DataFrame, columns: Iterable[str]) -> dict[str, tuple[str, int]]:
    """Columns that differ, those that differ most first, with the way and the minute from which on."""
    if not len(mine) or len(mine) != len(its):
        return {}
    found: list[tuple[float, str, str, int]] = []
    for name in columns:
        if name not in mine.columns:
            continue
        here = mine[name].fill_null(0).to_numpy()
        there: np.ndarray[Any, Any] = its[name].fill_null(0).to_numpy() if name in its.columns else np.zeros(len(here))
        scale = max(float(np.abs(there).max()), 1e-9)
        off = np.abs(here - there) > MOVED * np.maximum(np.abs(there), 0.1 * scale)
        close = np.convolve(off, np.ones(NEAR), "valid") >= OF_FIVE
        if close.any():
            first = int(np.argmax(close))
            first += int(np.argmax(off[first:]))
            after = slice(first, first + SOON)
            change = float(here[after].mean() - there[after].mean())
            if abs(change) > MOVED * abs(float(there[after].mean())):
                found.append((round(abs(change) / scale, 2), name, "up" if change > 0 else "down", first))
    return {name: (way, first) for _, name, way, first in sorted(found, reverse=True)}


def _waited(mine: pl.DataFrame, its: pl.DataFrame) -> dict[str, tuple[str, int]]:
    """Wait events on which more or less time was spent, that of most difference first."""
    if not len(mine) or len(mine) != len(its):
        return {}
    whole = float(its.select(EVENTS).to_numpy().sum())
    found: list[tuple[float, str, str, int]] = []
    for event in EVENTS:
        here, there = mine[event].to_numpy(), its[event].to_numpy()
        change = float(here.sum() - there.sum())
        if abs(change) > max(MOVED * float(there.sum()), NOTICED * whole):
            off = (here - there) * np.sign(change) > MOVED * there + NOTICED * whole / len(here)
            found.append((round(abs(change)), event, "up" if change > 0 else "down", int(np.argmax(off))))
    return {name: (way, first) for _, name, way, first in sorted(found, reverse=True)}
