"""Runs on a real SQLite file: a fresh copy for each run, workers in processes of their own, the wall clock.

Everything but the copy of the file happens in a sandbox (``sqlite_player``).
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from dataclasses import asdict
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl

from hardy_gauge.core.figures.formatting import size
from hardy_gauge.load.design import ArmSpec, BadTrial, Target, Workload
from hardy_gauge.load.sqlite_player import SOURCE
from hardy_gauge.load.trial import Observed
from hardy_gauge.probes.protocol import Refused
from hardy_gauge.probes.sqlite_settings import check
from hardy_gauge.sandbox.limits import MiB, SandboxLimits
from hardy_gauge.sandbox.process import SandboxEnded, SandboxProcess
from hardy_gauge.settings import AppSettings

POLL_S = 0.2
LEAST_WORKER_BYTES = 64 * MiB
SCHEMA = {"start_s": pl.Float64, "duration_s": pl.Float64, "statement": pl.Int32, "failed": pl.Boolean}


class SqliteTarget:
    """Plays a workload on copies of one file; the file itself is never written. For the thread that made it."""

    reports_waits = False

    def __init__(self, target: Target, workload: Workload, arms: list[ArmSpec]) -> None:
        if workload.arrival.kind != "closed":
            raise BadTrial("workload.arrival.kind: a SQLite trial needs closed arrivals", "workload.arrival.kind")
        self.workload = workload
        self.workers = workload.arrival.workers or 1
        self.arms = {arm.name: _document(number, arm) for number, arm in enumerate(arms)}
        limits = AppSettings()
        self._most_disk = limits.trial_disk
        mapped = max(int(arm["settings"].get("mmap_size", 0)) for arm in self.arms.values())
        mapped = min(mapped, 2 * _size(target))
        self._worker_bytes = max(LEAST_WORKER_BYTES, limits.trial_memory // self.workers) + mapped
        self._sandbox = SandboxProcess("sqlite", SandboxLimits(
            memory_bytes=limits.trial_memory + mapped, cpu_s=None, file_bytes=limits.trial_disk,
        ))  # fmt: skip
        try:
            _copy(target, self._sandbox.folder / SOURCE)
            statements = [s.model_dump() for s in workload.statements]
            self._sandbox.send({"do": "prepare", "arms": list(self.arms.values()), "statements": statements})
            _answered(self._sandbox.receive())
        except BaseException:
            self.close()
            raise

    def run(self, arm: ArmSpec, seconds: float, seed: int, progress: Callable[[float], bool]) -> pl.DataFrame:
        """Executions of one run: start_s, duration_s, statement, failed. Empty when ``progress`` says to stop."""
        self._sandbox.send(
            {
                "do": "run", "arm": self.arms[arm.name], "seconds": seconds, "seed": seed, "workers": arm.workers or self.workers,
                "worker_memory_bytes": self._worker_bytes, "pace": asdict(self.workload.arrival.pace()),
                "statements": [s.model_dump() for s in self.workload.statements],
            }
        )  # fmt: skip
        going = self._wait(lambda: progress(0.0)) and bool(_answered(self._sandbox.receive()))
        elapsed = 0.0
        while going and not self._sandbox.waits(POLL_S):
            elapsed += POLL_S
            going = progress(min(elapsed, seconds))
            if self._sandbox.disk_bytes() > self._most_disk:
                raise BadTrial(
                    f"workload.statements: the copies of the file have grown beyond {size(self._most_disk)}, which is what "
                    "a trial may take of the disk (HARDY_GAUGE_TRIAL_DISK)", "workload.statements",
                )  # fmt: skip
        if not going:
            self.close()
            return pl.DataFrame(schema=SCHEMA)
        found = _answered(self._sandbox.receive())
        frames = [_frame(self._sandbox.receive_bytes()) for _ in range(found["workers"])]
        return pl.concat(frames) if frames else pl.DataFrame(schema=SCHEMA)

    def _wait(self, goes_on: Callable[[], bool]) -> bool:
        """Wait for a message; False when it is to stop meanwhile."""
        while not self._sandbox.waits(POLL_S):
            if not goes_on():
                return False
        return True

    def observed(self) -> Observed | None:
        """Nothing beside the executions."""
        return None

    def close(self) -> None:
        """End all processes, also those whose statement does not end, and remove the copies."""
        self._sandbox.close()


def _answered(message: dict[str, Any]) -> dict[str, Any]:
    if "error" in message:
        raise BadTrial(f"{message['field']}: {message['error']}", message["field"])
    return message


def _frame(content: bytes) -> pl.DataFrame:
    """The arrays that a worker sends."""
    count, rest = divmod(len(content), 21)
    if rest:
        raise SandboxEnded("a worker of the trial sent rows that cannot be read")
    parts = np.split(np.frombuffer(content, np.uint8), np.cumsum([8 * count, 8 * count, 4 * count]))
    types = (np.float64, np.float64, np.int32, np.int8)
    columns = [part.view(kind) for part, kind in zip(parts, types, strict=True)]
    return pl.DataFrame(dict(zip(SCHEMA, columns, strict=True))).cast({"failed": pl.Boolean})


def _document(number: int, arm: ArmSpec) -> dict[str, Any]:
    try:
        settings = {name: check(name, value) for name, value in arm.settings.items()}
    except Refused as error:
        raise BadTrial(f"arms.{number}.{error.field}: {error}", f"arms.{number}.{error.field}") from error
    return arm.model_dump() | {"settings": settings}


def _size(target: Target) -> int:
    return target.file.stat().st_size if target.file is not None and target.file.exists() else 64 * MiB


def _copy(target: Target, path: Path) -> None:
    """The file, or the sample made anew, at ``path``."""
    if target.file is not None:
        if not target.file.exists():
            raise BadTrial(f"target.file: there is no file {target.file}", "target.file")
        try:
            with sqlite3.connect(target.file) as source, sqlite3.connect(path) as copy:
                source.execute("SELECT count(*) FROM sqlite_schema")
                source.backup(copy)
        except sqlite3.DatabaseError as error:
            raise BadTrial(f"target.file: not a SQLite file: {error}", "target.file") from error
    else:
        script = (resources.files("hardy_gauge.load") / "samples" / f"{target.sample}.sql").read_text(encoding="utf-8")
        with sqlite3.connect(path) as connection:
            connection.executescript(script)
    path.chmod(0o644)
