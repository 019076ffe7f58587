"""One run of a workload on PostgreSQL: its workers, what their sessions wait for meanwhile, and their end."""

from __future__ import annotations

import os
import subprocess
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, suppress
from dataclasses import dataclass
from multiprocessing.connection import Connection, wait
from typing import Any

import polars as pl
import psycopg

from hardy_gauge.core.trials.live_run import LiveRun
from hardy_gauge.load.design import BadTrial
from hardy_gauge.load.executions import SCHEMA, executions_of
from hardy_gauge.load.live_seconds import LiveSeconds, counts_at
from hardy_gauge.load.postgres.worker import begin
from hardy_gauge.load.second_counts import shared_counts
from hardy_gauge.load.trial import Observed, PlanDocument
from hardy_gauge.load.worker_loop import shared_queue
from hardy_gauge.probes.wait_map import wait_map

SAMPLE_S, READY_S, DRAIN_S, END_S, LONGEST_S = 0.05, 60.0, 30.0, 15.0, 86_400.0
WAITING = """
SELECT coalesce(wait_event_type || ':' || wait_event, 'running'), count(*) FROM pg_stat_activity
WHERE application_name = %s AND state = 'active' AND backend_type = 'client backend' AND pid <> pg_backend_pid() GROUP BY 1
"""
CANCEL = "SELECT pg_cancel_backend(pid) FROM pg_stat_activity WHERE application_name = %s AND pid <> pg_backend_pid()"
WORKERS = "workload.arrival.workers"


@dataclass(frozen=True)
class Stage:
    """A part of a run between two changes: from and until when in seconds, and active sessions by wait family in it."""

    since_s: float
    until_s: float
    families: dict[str, float]


class PostgresPlay:
    """Workers in processes of their own; ``close`` ends those that are left."""

    def __init__(
        self, reached: dict[str, Any], watcher: psycopg.Connection[Any], arms: Sequence[str], here: bool = False
    ) -> None:  # fmt: skip
        """``reached`` is what the workers' connections are opened with; their ``application_name`` is by what ``watcher`` knows them.
        ``arms`` are the names of its stages, or of the one that runs; ``here`` where the server is on this machine, whose figures are shown
        meanwhile.
        """
        self._arms, self._here, self._stack = arms, here, ExitStack()
        self._live: LiveSeconds | None = None
        self._stage, self._seconds = 0, 0.0
        self._watcher, self._families = watcher, wait_map("postgresql")
        self._reached, self._name = reached, str(reached["application_name"])
        self._running: list[subprocess.Popen[bytes]] = []
        self._left: list[Connection] = []
        self._rows: list[bytes] = []
        self._counts: dict[str, float] = {}
        self._looks, self._began = 0, 0.0

    def run(self, workers: int, asked: dict[str, Any], progress: Callable[[float], bool]) -> pl.DataFrame:
        """Executions of all workers; empty when ``progress`` says to stop. A statement that does not end long after the run is cancelled,
        and counts as failed. BadTrial where a worker is lost, for its executions would be missing.
        """
        seconds, due = float(asked["seconds"]), asked.get("due")
        self._seconds = seconds
        asked = {name: value for name, value in asked.items() if name != "due"}
        queue = None if due is None else shared_queue(due)
        try:
            self._begin(workers, asked | {"arrivals": queue})
            goes = self._play(seconds, progress) and self._gather(max(DRAIN_S, seconds), lambda: progress(seconds))
            if not goes:
                self._end()
        finally:
            if queue is not None:
                os.close(queue)
        if not goes:
            return pl.DataFrame(schema=SCHEMA)
        return executions_of(self._rows)

    def run_stages(
        self, workers: int, asked: dict[str, Any], changes: Sequence[Callable[[], None]], progress: Callable[[float], bool]
    ) -> tuple[pl.DataFrame, list[Stage]]:  # fmt: skip
        """One load all the time, and one change after the other made under it: a stage before the first and one after each, of the
        seconds asked for, the time that a change takes not among them. No rows when ``progress`` says to stop.
        """
        seconds, stages = float(asked["seconds"]), list[Stage]()
        self._seconds = seconds * (1 + len(changes))
        self._begin(workers, asked | {"seconds": LONGEST_S})
        for number, change in enumerate([None, *changes]):
            if change is not None:
                self._under_load(change)
            self._counts, self._looks, self._stage = {}, 0, number
            since = time.perf_counter() - self._began
            if not self._play(seconds, lambda done, before=number: progress(before * seconds + done)):  # type: ignore[misc]
                self._end()
                return pl.DataFrame(schema=SCHEMA), []
            stages.append(Stage(since, time.perf_counter() - self._began, self.families()))
        self._end(DRAIN_S)
        return executions_of(self._rows), stages

    def live(self) -> LiveRun | None:
        """What goes on, once the workers have begun and until it is closed."""
        return None if self._live is None else self._live.told(self._arms[self._stage], self._seconds)

    def families(self) -> dict[str, float]:
        """Active sessions by wait family, on average over the looks."""
        return {name: count / max(self._looks, 1) for name, count in self._counts.items()}

    def _begin(self, workers: int, asked: dict[str, Any]) -> None:
        counts = shared_counts(workers)
        self._stack.callback(os.close, counts)
        asked = asked | {"counts": counts}
        self._left, self._rows = [self._begun(asked, number) for number in range(workers)], []
        for pipe in self._left:
            if not pipe.poll(READY_S) or _received(pipe) != b"ready":
                raise BadTrial(f"{WORKERS}: a worker could not connect", WORKERS)
        self._began = time.perf_counter()
        self._live = LiveSeconds(counts_at(counts, workers), self._here)
        for pipe in self._left:
            pipe.send(self._began)

    def _play(self, seconds: float, progress: Callable[[float], bool]) -> bool:
        """Look on until the time is over or all have ended; False when it is to stop."""
        began = time.perf_counter()
        while self._left and (elapsed := time.perf_counter() - began) < seconds:
            self._receive()
            self._look()
            if not progress(min(elapsed, seconds)):
                return False
        return True

    def _gather(self, drain_s: float, goes_on: Callable[[], bool]) -> bool:
        """Wait for the rows of those that work on; after ``drain_s`` their statements are cancelled. False when it is to stop."""
        began = time.perf_counter()
        while self._left:
            self._receive()
            elapsed = time.perf_counter() - began
            if not goes_on():
                return False
            if self._left and elapsed >= drain_s:
                self._watcher.execute(CANCEL, [self._name])
            if self._left and elapsed >= drain_s + END_S:
                raise BadTrial(
                    f"{WORKERS}: a worker did not end {END_S:.0f} s after its statement was cancelled", WORKERS
                )
        return True

    def _end(self, drain_s: float = 0.0) -> None:
        """Tell all to end, and take their rows; what they are at may take ``drain_s``."""
        for pipe in self._left:
            with suppress(OSError):
                pipe.send_bytes(b"end")
        self._gather(drain_s, lambda: True)

    def _receive(self) -> None:
        for pipe in wait(self._left, timeout=SAMPLE_S):
            assert isinstance(pipe, Connection)
            self._rows.append(_received(pipe))
            self._left.remove(pipe)

    def _under_load(self, change: Callable[[], None]) -> None:
        """Make a change while the workers go on; what it raises is raised here."""
        with ThreadPoolExecutor(1) as pool:
            made = pool.submit(change)
            while not made.done():
                self._receive()
            made.result()

    def _look(self) -> None:
        self._looks += 1
        seen: dict[str, float] = {}
        for event, count in self._watcher.execute(WAITING, [self._name]).fetchall():
            family = self._families.family(event)
            seen[family] = seen.get(family, 0.0) + count
        for family, sessions in seen.items():
            self._counts[family] = self._counts.get(family, 0.0) + sessions
        if self._live is not None:
            self._live.look(time.perf_counter() - self._began, seen)

    def _begun(self, asked: dict[str, Any], number: int) -> Connection:
        process, pipe = begin(self._reached, asked, number)
        self._running.append(process)
        return pipe

    def close(self) -> None:
        """End the workers that are left."""
        for process in self._running:
            try:
                process.wait(0.5)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        self._running, self._live = [], None
        self._stack.close()


def by_stage(
    frame: pl.DataFrame, stages: Sequence[Stage], told: Sequence[tuple[dict[str, str], Sequence[PlanDocument | None]]]
) -> list[tuple[pl.DataFrame, Observed]]:  # fmt: skip
    """The executions of each stage with what was seen of it; ``told`` are settings and plans at the end of each."""
    return [
        (
            frame.filter(pl.col("start_s").is_between(stage.since_s, stage.until_s, closed="left"))
            .with_columns(pl.col("start_s") - stage.since_s),
            Observed(stage.families, *seen),
        )
        for stage, seen in zip(stages, told, strict=False)
    ]  # fmt: skip


def _received(pipe: Connection) -> bytes:
    try:
        return pipe.recv_bytes()
    except EOFError:
        raise BadTrial(f"{WORKERS}: a worker ended before its time", WORKERS) from None
