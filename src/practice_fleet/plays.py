"""Runs by events in processes of their own, so that the live feed is not held up; watched and stopped by id."""

from __future__ import annotations

import multiprocessing
import os
import tempfile
import threading
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path

import polars as pl

from hardy_gauge.probes.protocol import PlayRequest, PlaySecond, PlayState, Refused
from practice_fleet.burst_credit import bursting
from practice_fleet.conditions import State
from practice_fleet.events.by_second import RunSeconds
from practice_fleet.events.pages import Pages, Store, StoredObject
from practice_fleet.events.randoms import Randoms
from practice_fleet.events.run import Run
from practice_fleet.explain import planned
from practice_fleet.history import History
from practice_fleet.makes import FIRST, Make
from practice_fleet.physics.cache import Accessed
from practice_fleet.physics.checkpoints import checkpoints
from practice_fleet.physics.demand import Visits, bypasses
from practice_fleet.physics.wait_events import Limits
from practice_fleet.scenario.units import PAGE_BYTES

KEPT = 64
TOLD_S = 600  # seconds of a play that are told while it runs: the last ones


@dataclass
class Play:
    state: PlayState
    folder: Path
    stop: threading.Event
    make: Make


class Plays:
    """The plays of one fleet; results are kept for the last ones only."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="practice-plays-"))
        self.plays: dict[str, Play] = {}

    def start(self, history: History, request: PlayRequest, now_us: int, make: Make = FIRST) -> PlayState:
        """Check the request and begin; Refused names what cannot be played, and nothing is begun then."""
        arrival = request.arrival
        if arrival.kind == "open" and arrival.rate_per_s is None:
            raise Refused("open arrivals need rate_per_s", "arrival.rate_per_s")
        if arrival.kind == "closed" and arrival.workers is None:
            raise Refused("closed arrivals need workers", "arrival.workers")
        if arrival.kind == "recorded" and not arrival.times_s:
            raise Refused("recorded arrivals need times_s", "arrival.times_s")
        state = history.server.trial_state(
            now_us, request.statements, request.settings, request.add_indexes, request.drop_indexes, arrival
        )
        foreign = history.at(now_us).foreign_pages_per_s
        name = uuid.uuid4().hex[:12]
        play = Play(
            PlayState(play=name, state="running", done_s=0, seconds=request.seconds),
            self.folder / name,
            threading.Event(),
            make,
        )
        play.folder.mkdir()
        self.plays[name] = play
        for old in list(self.plays)[:-KEPT]:
            del self.plays[old]
        began = play.state.model_copy(update={"plans": planned(state, history.at(now_us))})
        threading.Thread(target=_watch, args=(play, state, request, foreign), daemon=True).start()
        return began

    def get(self, name: str) -> Play:
        if name not in self.plays:
            raise Refused(f"no play '{name}'", "play")
        return self.plays[name]


def _watch(play: Play, state: State, request: PlayRequest, foreign: float) -> None:
    context = multiprocessing.get_context("spawn")
    here, there = context.Pipe()
    process = context.Process(target=_run, args=(there, state, request, foreign, str(play.folder)), daemon=True)
    process.start()
    there.close()
    try:
        while True:
            update: PlayState = play.state.model_copy(update=here.recv())
            play.state = update
            if update.state != "running":
                break
            here.send(not play.stop.is_set())
    except EOFError:
        play.state = play.state.model_copy(update={"state": "failed", "detail": "the run's process ended"})
    process.join()


def _run(pipe: Connection, state: State, request: PlayRequest, foreign: float, folder: str) -> None:
    os.nice(5)

    def progress(done: float) -> bool:
        told.append(seconds.next(done))
        pipe.send({"done_s": done, "since_s": max(0, len(told) - TOLD_S), "by_second": told[-TOLD_S:]})
        return bool(pipe.recv())

    if state.memory.killed:
        pipe.send({"state": "failed", "detail": state.memory.killed_words})
        return
    run = event_run(state, request, foreign)
    seconds, told = RunSeconds(run), list[PlaySecond]()
    result = run.play(request.seconds, progress)
    examined = [v.rows_examined for v in run.visits]
    statics = pl.DataFrame({"statement": range(len(examined)), "rows_examined": examined})
    result.executions.join(statics, on="statement", how="left").write_parquet(Path(folder) / "executions.parquet")
    result.samples.write_parquet(Path(folder) / "samples.parquet")
    result.ticks.write_parquet(Path(folder) / "ticks.parquet")
    finished = "finished" if result.seconds >= request.seconds else "stopped"
    pipe.send({"state": finished, "done_s": result.seconds, "utilisation": result.utilisation})


def event_run(state: State, request: PlayRequest, foreign_pages_per_s: float = 0.0) -> Run:
    """A run by events that follows every page of the objects which the statements touch.

    ``foreign_pages_per_s`` is what other servers ask of the data volume, in single pages.
    """
    visits, weights = list(state.visits.values()), [s.weight for s in request.statements]
    situation, catalogue = state.situation, state.catalogue
    rates: dict[str, float] = {}
    changes: dict[str, float] = {}
    touched: set[str] = set()
    for visit, weight in zip(visits, weights, strict=True):
        touched |= visit.random.keys() | visit.stream.keys() | visit.changed.keys()
        for name, read in visit.random.items():
            rates[name] = rates.get(name, 0.0) + weight * read
        for name, dirtied in visit.changed.items():
            changes[name] = changes.get(name, 0.0) + weight * dirtied
    objects = [
        StoredObject(
            name, catalogue.pages_of(name), catalogue.skew_of(name), rates.get(name, 0.0), changes.get(name, 0.0),
            bypasses(catalogue, name, situation.cache_pages),
        )
        for name in sorted(touched)
    ]  # fmt: skip
    pace = _pace(state, visits, weights, request)
    log_rate = pace * sum(v.record_bytes * w for v, w in zip(visits, weights, strict=True))
    settings = state.settings
    capacity, spread = float(settings["log_capacity_bytes"]), float(settings["checkpoint_spread"])
    changed = [Accessed(o.name, o.pages, o.skew, o.changes * pace) for o in objects]
    stay_s = situation.caches.stay_s
    usual = checkpoints(
        changed,
        log_rate,
        capacity,
        float(settings["checkpoint_interval_s"]),
        spread,
        stay_s / pace,
        not state.hardware.atomic_writes,
    )
    age_s = 0.0 if request.cold else usual.every_s / 2
    pages = Pages(
        objects, situation.cache_pages, state.memory.system_cache / PAGE_BYTES, Randoms([request.seed, 3]),
        stay_s, request.cold, since_checkpoint_s=age_s * pace,
    )  # fmt: skip
    store = Store(
        pages, capacity, float(settings["checkpoint_interval_s"]), spread, situation.background_write_rate,
        float(settings["read_ahead_pages"]), pace, age_s, age_s * (log_rate + usual.image_bytes_per_s),
    )  # fmt: skip
    numbers = {key: number for number, key in enumerate(state.visits)}
    holds = {
        numbers[key]: (hold, numbers.get(hold.behind) if hold.behind else None) for key, hold in state.holds.items()
    }
    failing = {numbers[key]: share for key, share in state.now.failing.items() if key in numbers}
    host = state.host  # a volume with a burst has credit when a run begins
    if host.data_volume.burst_operations_per_s is not None:
        host = bursting(host)
    return Run(
        host, visits, weights, request.arrival, Limits.of(settings), request.seed, store, holds, failing,
        state.now.background_pages_per_s + foreign_pages_per_s, list(state.worker_visits.values()),
        state.now.workers if state.worker_visits else 0, list(state.single), list(state.played),
    )  # fmt: skip


def _pace(state: State, visits: list[Visits], weights: list[float], request: PlayRequest) -> float:
    """A first guess of calls per second ÷ the sum of the weights: nothing queues, but cores are not exceeded."""
    arrival, total = request.arrival, sum(weights)
    if arrival.kind == "open":
        return float(arrival.rate_per_s or 1.0) / total
    if arrival.kind == "recorded":
        return len(arrival.times_s) / max(arrival.times_s[-1], 1.0) / total

    def mean(figure: Callable[[Visits], float]) -> float:
        return sum(figure(v) * w for v, w in zip(visits, weights, strict=True)) / total

    latency = state.host.data_volume.latency_s
    processor = mean(lambda v: v.processor_s)
    alone = mean(lambda v: v.processor_s + v.random_reads * latency + v.chunk_reads * v.chunk_s + v.log_s + v.client_s)
    return min((arrival.workers or 1) / (alone + arrival.think_s), state.host.cores / processor) / total
