"""Runs on a real SQLite file: a fresh copy for each run, workers in processes of their own, the wall clock."""

from __future__ import annotations

import itertools
import multiprocessing
import random
import shutil
import sqlite3
import sys
import tempfile
import time
from collections.abc import Callable
from importlib import resources
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext
from pathlib import Path
from typing import Any

import polars as pl

from hardy_gauge.load.design import ArmSpec, BadTrial, ParameterSpec, Target, Workload
from hardy_gauge.load.pacing import next_statement, pause_s
from hardy_gauge.probes.protocol import Refused
from hardy_gauge.probes.sqlite_settings import check

BUSY_S = 10.0
FIXED = ("page_size", "journal_mode")  # kept in the file itself, so set before the workers open it
SCHEMA = {"start_s": pl.Float64, "duration_s": pl.Float64, "statement": pl.Int64, "failed": pl.Boolean}


class SqliteTarget:
    """Plays a workload on copies of one file; the file itself is never written."""

    reports_waits = False

    def __init__(self, target: Target, workload: Workload, arms: list[ArmSpec]) -> None:
        if workload.arrival.kind != "closed":
            raise BadTrial("workload.arrival.kind: a SQLite trial needs closed arrivals", "workload.arrival.kind")
        self.folder = Path(tempfile.mkdtemp(prefix="hardy-gauge-trial-"))
        self.workload = workload
        try:
            self.settings = {arm.name: _checked(number, arm) for number, arm in enumerate(arms)}
            self.source = _source(target, self.folder)
            self._try_arms(arms)
        except BaseException:
            self.close()
            raise

    def _try_arms(self, arms: list[ArmSpec]) -> None:
        """Prepare every arm once and prepare each statement, so that mistakes show before the first run."""
        for number, arm in enumerate(arms):
            path = self._prepare(arm, number)
            connection = sqlite3.connect(path)
            for i, statement in enumerate(self.workload.statements):
                try:
                    connection.execute(f"EXPLAIN {statement.sql}", [1] * len(statement.parameters))
                except sqlite3.Error as error:
                    field = f"workload.statements.{i}.sql"
                    raise BadTrial(f"{field}: {error}", field) from error
            connection.close()
            path.unlink()

    def _prepare(self, arm: ArmSpec, number: int) -> Path:
        path = self.folder / f"arm-{number}-{time.monotonic_ns()}.db"
        shutil.copyfile(self.source, path)
        settings = self.settings[arm.name]
        connection = sqlite3.connect(path, isolation_level=None)
        try:
            for name in arm.drop_indexes:
                connection.execute(f'DROP INDEX "{name}"')
            for spec in arm.add_indexes:
                name = spec.name or f"{spec.table}_{'_'.join(spec.columns)}"
                columns = ", ".join(
                    f"`{c}`" for c in spec.columns
                )  # in double quotes an unknown name would be a string
                connection.execute(f'CREATE INDEX "{name}" ON "{spec.table}" ({columns})')
            if "page_size" in settings:
                connection.execute("PRAGMA journal_mode=delete")
                connection.execute(f"PRAGMA page_size={settings['page_size']}")
                connection.execute("VACUUM")
            if "journal_mode" in settings:
                connection.execute(f"PRAGMA journal_mode={settings['journal_mode']}")
        except sqlite3.Error as error:
            raise BadTrial(f"arms.{number}: {error}", f"arms.{number}") from error
        finally:
            connection.close()
        return path

    def run(self, arm: ArmSpec, seconds: float, seed: int, progress: Callable[[float], bool]) -> pl.DataFrame:
        """Executions of one run: start_s, duration_s, statement, failed. Stops early when ``progress`` says so."""
        path = self._prepare(arm, 0)
        per_connection = {k: v for k, v in self.settings[arm.name].items() if k not in FIXED}
        context = _processes()
        stop = context.Event()
        pipes: list[Connection] = []
        processes = []
        for number in range(self.workload.arrival.workers or 1):
            here, there = context.Pipe()
            job = (there, stop, str(path), per_connection, self.workload, seconds, seed, number)
            process = context.Process(target=_work, args=job, daemon=True)
            process.start()
            there.close()
            pipes.append(here)
            processes.append(process)
        for pipe in pipes:
            pipe.recv()  # ready
        for pipe in pipes:
            pipe.send("go")
        began = time.monotonic()
        while (elapsed := time.monotonic() - began) < seconds:
            if not progress(elapsed):
                stop.set()
                break
            time.sleep(0.2)
        rows: list[tuple[float, float, int, bool]] = []
        for pipe in pipes:
            rows += pipe.recv()
        for process in processes:
            process.join()
        for left in self.folder.glob(f"{path.name}*"):
            left.unlink()
        return pl.DataFrame(rows, schema=SCHEMA, orient="row")

    def close(self) -> None:
        shutil.rmtree(self.folder, ignore_errors=True)


def _processes() -> ForkServerContext:
    """Clean processes that begin at once: what of ours is imported here is imported for all of them, one time."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload([name for name in sys.modules if name.startswith("hardy_gauge")])
    return context


def _checked(number: int, arm: ArmSpec) -> dict[str, float | int | str | bool]:
    try:
        return {name: check(name, value) for name, value in arm.settings.items()}
    except Refused as error:
        raise BadTrial(f"arms.{number}.{error.field}: {error}", f"arms.{number}.{error.field}") from error


def _source(target: Target, folder: Path) -> Path:
    if target.file is not None:
        if not target.file.exists():
            raise BadTrial(f"target.file: there is no file {target.file}", "target.file")
        try:
            with sqlite3.connect(target.file) as connection:
                connection.execute("SELECT count(*) FROM sqlite_schema")
        except sqlite3.DatabaseError as error:
            raise BadTrial(f"target.file: not a SQLite file: {error}", "target.file") from error
        path = folder / "source.db"
        with sqlite3.connect(target.file) as source, sqlite3.connect(path) as copy:
            source.backup(copy)
        return path
    path = folder / "source.db"
    script = (resources.files("hardy_gauge.load") / "samples" / f"{target.sample}.sql").read_text(encoding="utf-8")
    with sqlite3.connect(path) as connection:
        connection.executescript(script)
    return path


def _work(  # type: ignore[no-untyped-def]
    pipe: Connection,
    stop,
    path: str,
    settings: dict[str, Any],
    workload: Workload,
    seconds: float,
    seed: int,
    number: int,
) -> None:
    """One worker: executions one after another until the time is over. Each execution is a transaction."""
    draw = random.Random(seed * 1000 + number)
    connection = sqlite3.connect(path, isolation_level=None, timeout=BUSY_S)
    for name, value in settings.items():
        connection.execute(f"PRAGMA {name}={value}")
    statements, arrival = workload.statements, workload.arrival
    weights = [s.weight for s in statements]
    writes = [not s.sql.lstrip().lower().startswith(("select", "with")) for s in statements]
    rows = []
    pipe.send("ready")
    pipe.recv()
    began = time.perf_counter()
    for turn in itertools.count():
        now = time.perf_counter() - began
        if now >= seconds or stop.is_set():
            break
        if pause := pause_s(arrival, draw):
            time.sleep(pause)
            now = time.perf_counter() - began
        which = next_statement(arrival, turn, number, weights, draw)
        values = [_value(draw, parameter) for parameter in statements[which].parameters]
        failed = False
        try:
            if writes[which]:
                connection.execute("BEGIN IMMEDIATE")
            connection.execute(statements[which].sql, values).fetchall()
            if writes[which]:
                connection.execute("COMMIT")
        except sqlite3.OperationalError:
            failed = True
            if connection.in_transaction:
                connection.execute("ROLLBACK")
        rows.append((now, time.perf_counter() - began - now, which, failed))
    connection.close()
    pipe.send(rows)


def _value(draw: random.Random, parameter: ParameterSpec) -> int:
    span = parameter.high - parameter.low + 1
    return int(parameter.low + span * draw.random() ** (1 / (1 - parameter.skew)))
