"""Runs on a real SQLite file: a fresh copy for each run, workers in processes of their own, the wall clock.

Everything but the copy of the file happens in a sandbox (``sqlite_player``).
"""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import asdict
from importlib import resources
from pathlib import Path
from typing import Any

import polars as pl

from hardy_gauge.core.figures.formatting import size
from hardy_gauge.core.plans.document import plan_document
from hardy_gauge.core.plans.model import MalformedPlan
from hardy_gauge.core.plans.readers.sqlite import read as sqlite_plan
from hardy_gauge.core.trials.live_run import LiveRun
from hardy_gauge.core.trials.soundness import Checked
from hardy_gauge.load.arrivals import due_times, missed_of, sessions_of
from hardy_gauge.load.design import BadTrial
from hardy_gauge.load.executions import SCHEMA, executions_of
from hardy_gauge.load.live_seconds import LiveSeconds, counts_at
from hardy_gauge.load.parts import ArmSpec, StandardData, Target, Workload, WorkloadStatement
from hardy_gauge.load.sqlite_player import COUNTS, SOURCE
from hardy_gauge.load.standard.maker import definitions, for_sqlite, index_definitions, rows_of
from hardy_gauge.load.standard.size import lacking_room
from hardy_gauge.load.trial import Observed, PlanDocument
from hardy_gauge.probes.protocol import Refused
from hardy_gauge.probes.sqlite_settings import check
from hardy_gauge.sandbox.limits import MiB, SandboxLimits
from hardy_gauge.sandbox.process import SandboxProcess
from hardy_gauge.settings import AppSettings

POLL_S = 0.2
LEAST_WORKER_BYTES = 64 * MiB


COPIES = 2  # of the file: as it was made, and as a run has it


class SqliteTarget:
    """Plays a workload on copies of one file; the file itself is never written. For the thread that made it."""

    reports_waits = False

    def __init__(self, target: Target, workload: Workload, arms: list[ArmSpec]) -> None:
        for number, one in enumerate(workload.statements):
            for at, parameter in enumerate(one.parameters):
                if parameter.column is not None:
                    field = f"workload.statements.{number}.parameters.{at}.column"
                    raise BadTrial(
                        f"{field}: values by statistics are for a PostgreSQL; give low and high, or values", field
                    )
        self.workload = workload
        self.workers = sessions_of(workload.arrival)
        self.arms = {arm.name: _document(f"arms.{number}", arm) for number, arm in enumerate(arms)}
        self._plans: list[PlanDocument | None] = []
        self._checks: list[Checked] = []
        self._missed: list[str] = []
        self._live: LiveSeconds | None = None
        self._going = ("", 0.0)
        limits = AppSettings()
        self._most_disk = limits.trial_disk
        data = target.standard
        if data is not None and (lacking := lacking_room(data.set, data.scale, COPIES, self._most_disk)):
            detail = f"target.standard.scale: {lacking} (HARDY_GAUGE_TRIAL_DISK)"
            raise BadTrial(detail, "target.standard.scale")
        mapped = max(int(arm["settings"].get("mmap_size", 0)) for arm in self.arms.values())
        mapped = min(mapped, 2 * _size(target))
        self._worker_bytes = max(LEAST_WORKER_BYTES, limits.trial_memory // self.workers) + mapped
        self._sandbox = SandboxProcess("sqlite", SandboxLimits(
            memory_bytes=limits.trial_memory + mapped, cpu_s=None, file_bytes=limits.trial_disk,
        ))  # fmt: skip
        try:
            _copy(target, self._sandbox.folder / SOURCE)
            self._told = {
                "statements": [_told(one, workload.standard is not None) for one in workload.statements],
                "checks": [one.model_dump() for one in workload.checks],
            }
            self._sandbox.send({"do": "prepare", "arms": list(self.arms.values())} | self._told)
            _answered(self._sandbox.receive())
        except BaseException:
            self.close()
            raise

    def admit(self, arm: ArmSpec) -> None:
        """Let an arm run that changes settings alone."""
        self.arms[arm.name] = _document("tuner", arm)

    def run(self, arm: ArmSpec, seconds: float, seed: int, progress: Callable[[float], bool]) -> pl.DataFrame:
        """Executions of one run: start_s, duration_s, statement, failed. Empty when ``progress`` says to stop."""
        due = due_times(self.workload.arrival, seconds, seed)
        self._sandbox.send(
            {
                "do": "run", "arm": self.arms[arm.name], "seconds": seconds, "seed": seed, "workers": arm.workers or self.workers, "due": due,
                "worker_memory_bytes": self._worker_bytes, "pace": asdict(self.workload.arrival.pace()),
            }
            | self._told
        )  # fmt: skip
        going = self._wait(lambda: progress(0.0))
        if going:
            self._plans = [_plan(rows) for rows in _answered(self._sandbox.receive())["plans"]]
        began = time.perf_counter()
        counts = counts_at(self._sandbox.folder / COUNTS, arm.workers or self.workers)
        self._live, self._going = LiveSeconds(counts, here=True), (arm.name, seconds)
        while going and not self._sandbox.waits(POLL_S):
            elapsed = min(time.perf_counter() - began, seconds)
            self._live.look(elapsed)
            going = progress(elapsed)
            if self._sandbox.disk_bytes() > self._most_disk:
                raise BadTrial(
                    f"workload.statements: the copies of the file have grown beyond {size(self._most_disk)}, which is what "
                    "a trial may take of the disk (HARDY_GAUGE_TRIAL_DISK)", "workload.statements",
                )  # fmt: skip
        self._live = None
        if not going:
            self.close()
            return pl.DataFrame(schema=SCHEMA)
        found = _answered(self._sandbox.receive())
        self._checks = [Checked(**one) for one in found["checks"]]
        frame = executions_of([self._sandbox.receive_bytes() for _ in range(found["workers"])])
        self._missed = missed_of(self.workload.arrival, len(due or ()), len(frame))
        return frame

    def _wait(self, goes_on: Callable[[], bool]) -> bool:
        """Wait for a message; False when it is to stop meanwhile."""
        while not self._sandbox.waits(POLL_S):
            if not goes_on():
                return False
        return True

    def live(self) -> LiveRun | None:
        """The run that goes on."""
        return None if self._live is None else self._live.told(*self._going)

    def observed(self) -> Observed:
        """The plans of the statements, as the file of the run has them, and what its checks gave."""
        return Observed(plans=self._plans, checks=self._checks, cautions=self._missed)

    def close(self) -> None:
        """End all processes, also those whose statement does not end, and remove the copies."""
        self._sandbox.close()


def _told(statement: WorkloadStatement, standard: bool) -> dict[str, Any]:
    document = statement.document()
    if standard:
        document["calls"] = [(for_sqlite(text), places) for text, places in document["calls"]]
    return document


def _answered(message: dict[str, Any]) -> dict[str, Any]:
    if "error" in message:
        raise BadTrial(f"{message['field']}: {message['error']}", message["field"])
    return message


def _plan(rows: list[dict[str, Any]]) -> PlanDocument | None:
    try:
        return plan_document(sqlite_plan(rows))
    except MalformedPlan:
        return None


def _document(field: str, arm: ArmSpec) -> dict[str, Any]:
    try:
        settings = {name: check(name, value) for name, value in arm.settings.items()}
    except Refused as error:
        raise BadTrial(f"{field}.{error.field}: {error}", f"{field}.{error.field}") from error
    return arm.model_dump() | {"settings": settings}


def _size(target: Target) -> int:
    return target.file.stat().st_size if target.file is not None and target.file.exists() else 64 * MiB


def _fill_standard(data: StandardData, path: Path) -> None:
    with closing(sqlite3.connect(path)) as connection:
        for command in definitions(data.set, "sqlite"):
            connection.execute(command)
        for table, rows in rows_of(data.set, data.scale, data.seed):
            connection.executemany(f"INSERT INTO {table} VALUES ({', '.join('?' * rows.width)})", rows.iter_rows())
        for command in [*index_definitions(data.set, "sqlite"), "ANALYZE"]:
            connection.execute(command)
        connection.commit()


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
    elif target.standard is not None:
        _fill_standard(target.standard, path)
    else:
        script = (resources.files("hardy_gauge.load") / "samples" / f"{target.sample}.sql").read_text(encoding="utf-8")
        with sqlite3.connect(path) as connection:
            connection.executescript(script)
    path.chmod(0o644)
