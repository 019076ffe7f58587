"""Runs by events in processes of their own, so that the live feed is not held up; watched and stopped by id."""

from __future__ import annotations

import multiprocessing
import os
import tempfile
import threading
import uuid
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path

import polars as pl

from hardy_gauge.probes.protocol import PlayRequest, PlayState, Refused
from practice_fleet.events import Run
from practice_fleet.server import PracticeServer, State

KEPT = 64


@dataclass
class Play:
    state: PlayState
    folder: Path
    stop: threading.Event


class Plays:
    """The plays of one fleet; results are kept for the last ones only."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="practice-plays-"))
        self.plays: dict[str, Play] = {}

    def start(self, server: PracticeServer, request: PlayRequest, now_us: int) -> PlayState:
        """Check the request and begin; Refused names what cannot be played, and nothing is begun then."""
        arrival = request.arrival
        if arrival.kind == "open" and arrival.rate_per_s is None:
            raise Refused("open arrivals need rate_per_s", "arrival.rate_per_s")
        if arrival.kind == "closed" and arrival.workers is None:
            raise Refused("closed arrivals need workers", "arrival.workers")
        state = server.trial_state(
            now_us, request.statements, request.settings, request.add_indexes, request.drop_indexes
        )
        name = uuid.uuid4().hex[:12]
        play = Play(
            PlayState(play=name, state="running", done_s=0, seconds=request.seconds),
            self.folder / name,
            threading.Event(),
        )
        play.folder.mkdir()
        self.plays[name] = play
        for old in list(self.plays)[:-KEPT]:
            del self.plays[old]
        threading.Thread(target=_watch, args=(play, state, request), daemon=True).start()
        return play.state

    def get(self, name: str) -> Play:
        if name not in self.plays:
            raise Refused(f"no play '{name}'", "play")
        return self.plays[name]


def _watch(play: Play, state: State, request: PlayRequest) -> None:
    context = multiprocessing.get_context("spawn")
    here, there = context.Pipe()
    process = context.Process(target=_run, args=(there, state, request, str(play.folder)), daemon=True)
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


def _run(pipe: Connection, state: State, request: PlayRequest, folder: str) -> None:
    os.nice(5)

    def progress(done: float) -> bool:
        pipe.send({"done_s": done})
        return bool(pipe.recv())

    visits = list(state.visits.values())
    run = Run(
        state.cluster.host, visits, [s.weight for s in request.statements], request.arrival,
        int(state.settings["max_sessions"]), request.seed,
    )  # fmt: skip
    result = run.play(request.seconds, progress)
    statics = pl.DataFrame({"statement": range(len(visits)), "rows_examined": [v.rows_examined for v in visits]})
    result.executions.join(statics, on="statement", how="left").write_parquet(Path(folder) / "executions.parquet")
    result.samples.write_parquet(Path(folder) / "samples.parquet")
    finished = "finished" if result.seconds >= request.seconds else "stopped"
    pipe.send({"state": finished, "done_s": result.seconds, "utilisation": result.utilisation})
