"""Runs on a PostgreSQL that is made for the trial: each run begins with a fresh copy of the filled data, started with its arm's settings.

The instance runs as a user without rights where we are root, is reached over a socket of its own, and is gone with this process. What
is played is played by a role that may read and write the tables and nothing else.
"""

from __future__ import annotations

import multiprocessing
import shutil
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict
from importlib import resources
from multiprocessing.connection import Connection, wait
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
import psycopg

from hardy_gauge.errors import GaugeError, ProbeError
from hardy_gauge.lab.instance import PORT, Instance, remove_leftovers
from hardy_gauge.lab.made.calls import said
from hardy_gauge.lab.objects import ASKER, MAKER, let_ask
from hardy_gauge.lab.programs import programs_for
from hardy_gauge.load.design import ArmSpec, BadTrial, MadePostgres, Value, Workload
from hardy_gauge.load.postgres_worker import work
from hardy_gauge.load.trial import Observed
from hardy_gauge.probes.wait_map import wait_map

DATABASE = "trial"
SCHEMA = {"start_s": pl.Float64, "duration_s": pl.Float64, "statement": pl.Int32, "failed": pl.Boolean}
SAMPLE_S, POLL_S, READY_S, DRAIN_S = 0.05, 0.2, 60.0, 30.0
# as a server that keeps what was committed; an arm may set it otherwise
DURABLE = {"fsync": "on", "synchronous_commit": "on", "full_page_writes": "on"}
SHOWN = (
    "shared_buffers",
    "work_mem",
    "effective_cache_size",
    "max_wal_size",
    "synchronous_commit",
    "fsync",
    "random_page_cost",
    "jit",
)
# numbers and choices alone: a text setting may name programs and files
ALLOWED = """
SELECT name, unit, min_val, max_val, enumvals, context FROM pg_settings
WHERE vartype <> 'string' AND context <> 'internal' AND name NOT IN ('port', 'max_connections', 'superuser_reserved_connections')
  AND (category LIKE 'Resource Usage%' OR category LIKE 'Write-Ahead Log%' OR category LIKE 'Query Tuning%' OR category LIKE 'Autovacuum%'
       OR category LIKE 'Lock Management%' OR category LIKE 'Statistics%' OR category LIKE 'Client Connection Defaults / Statement Behavior%')
"""
WAITING = """
SELECT coalesce(wait_event_type || ':' || wait_event, 'running'), count(*) FROM pg_stat_activity
WHERE usename = %s AND state = 'active' AND backend_type = 'client backend' GROUP BY 1
"""
FILL_TIMEOUT = "600s"


class PostgresTarget:
    """Plays a workload on copies of one data folder. For the thread that made it."""

    reports_waits = True

    def __init__(self, place: MadePostgres, workload: Workload, arms: list[ArmSpec], cold: bool = False) -> None:
        if workload.arrival.kind != "closed":
            raise BadTrial(
                "workload.arrival.kind: a trial on a made PostgreSQL needs closed arrivals", "workload.arrival.kind"
            )
        if cold:
            raise BadTrial(
                "run.cold: every run begins with a restart, but the system's own cache cannot be emptied here",
                "run.cold",
            )
        self.workload, self.workers, self.place = workload, workload.arrival.workers or 1, place
        self._families = wait_map("postgresql")
        self._observed: Observed | None = None
        self._running: list[multiprocessing.process.BaseProcess] = []
        scripts = _scripts(place)
        remove_leftovers()
        self._base = Instance.made(programs_for(place.major), None, ["--encoding=UTF8", "--locale=C"])
        try:
            self._fill(scripts)
            self.arms = {arm.name: self._prepared(number, arm) for number, arm in enumerate(arms)}
        except BaseException:
            self.close()
            raise

    def _fill(self, scripts: Sequence[tuple[str, str]]) -> None:
        """By a role that may do nothing beyond its database."""
        self._base.start({"autovacuum": "off"})
        try:
            with self._base.connect() as owner:
                owner.execute(
                    f"CREATE ROLE {MAKER} LOGIN; ALTER ROLE {MAKER} SET statement_timeout = '{FILL_TIMEOUT}'".encode()
                )
                owner.execute(f"CREATE DATABASE {DATABASE} OWNER {MAKER}")
            with self._base.connect(DATABASE, MAKER) as maker:
                for name, script in scripts:
                    try:
                        maker.execute(script.encode())
                    except psycopg.Error as error:
                        raise BadTrial(f"target.postgresql: {name}: {said(error)}", "target.postgresql") from error
                maker.execute("VACUUM ANALYZE")
            with self._base.connect(DATABASE) as owner:
                let_ask(owner)
                owner.execute(f"ALTER ROLE {ASKER} SET statement_timeout = 0")
        finally:
            self._base.stop()

    def _prepared(self, number: int, arm: ArmSpec) -> dict[str, str]:
        """Check an arm and make its data: a copy of the filled one with its indexes. Returns the settings of its starts."""
        settings = DURABLE | {name: _text(value) for name, value in {**self.place.settings, **arm.settings}.items()}
        one = Instance(self._base.programs, self._base.folder / f"arm-{number}")
        _copied(self._base, one)
        self._check_settings(number, arm)
        try:
            one.start(settings)
        except ProbeError as error:
            raise BadTrial(f"arms.{number}.settings: {error}", f"arms.{number}.settings") from error
        try:
            with one.connect(DATABASE, MAKER) as maker:
                self._change(maker, number, arm)
            with one.connect(DATABASE, ASKER) as asker:
                self._check_statements(asker)
        finally:
            one.stop()
        return {"folder": str(one.folder), **settings}

    def _check_settings(self, number: int, arm: ArmSpec) -> None:
        given = [(f"arms.{number}.settings", arm.settings), ("target.postgresql.settings", self.place.settings)]
        if not any(settings for _, settings in given):
            return
        self._base.start()
        try:
            with self._base.connect() as owner:
                allowed = {row[0] for row in owner.execute(ALLOWED.encode()).fetchall()}
        finally:
            self._base.stop()
        for field, settings in given:
            for name in settings:
                if name not in allowed:
                    detail = f"{field}.{name}: there is no such setting of numbers or choices, or it is not one to be tried here"
                    raise BadTrial(detail, f"{field}.{name}")

    def _change(self, maker: psycopg.Connection[Any], number: int, arm: ArmSpec) -> None:
        quoted = psycopg.sql.Identifier
        for at, index in enumerate(arm.add_indexes):
            columns = psycopg.sql.SQL(", ").join(quoted(one) for one in index.columns)
            command = psycopg.sql.SQL("CREATE INDEX {} ON {} ({})").format(
                quoted(index.name or f"trial_{number}_{at}"), quoted(*index.table.split(".")), columns
            )
            try:
                maker.execute(command)
            except psycopg.Error as error:
                raise BadTrial(f"arms.{number}.add_indexes: {said(error)}", f"arms.{number}.add_indexes") from error
        for name in arm.drop_indexes:
            try:
                maker.execute(psycopg.sql.SQL("DROP INDEX {}").format(quoted(*name.split("."))))
            except psycopg.Error as error:
                raise BadTrial(f"arms.{number}.drop_indexes: {said(error)}", f"arms.{number}.drop_indexes") from error
        maker.execute("VACUUM ANALYZE" if arm.add_indexes else "SELECT 1")

    def _check_statements(self, asker: psycopg.Connection[Any]) -> None:
        for number, one in enumerate(self.workload.statements):
            field = f"workload.statements.{number}.sql"
            try:
                asker.execute(f"PREPARE tried AS {one.sql}".encode(), binary=True)
                row = asker.execute(
                    "SELECT cardinality(parameter_types) FROM pg_prepared_statements WHERE name = 'tried'"
                ).fetchone()
                asker.execute("DEALLOCATE tried")
            except psycopg.Error as error:
                raise BadTrial(f"{field}: {said(error)}", field) from error
            if row is not None and row[0] != len(one.parameters):
                detail = f"{field}: it has {row[0]} parameters, and {len(one.parameters)} are drawn"
                raise BadTrial(detail, field)

    def run(self, arm: ArmSpec, seconds: float, seed: int, progress: Callable[[float], bool]) -> pl.DataFrame:
        """Executions of one run: start_s, duration_s, statement, failed. Empty when ``progress`` says to stop."""
        settings = dict(self.arms[arm.name])
        prepared = Instance(self._base.programs, Path(settings.pop("folder")))
        one = Instance(self._base.programs, self._base.folder / "run")
        _copied(prepared, one)
        one.start(settings)
        try:
            with one.connect(DATABASE) as watcher:
                return self._played(one, watcher, arm.workers or self.workers, settings, seconds, seed, progress)
        finally:
            self._end_workers()
            one.stop(crash=True)
            shutil.rmtree(one.folder, ignore_errors=True)

    def _played(
        self, one: Instance, watcher: psycopg.Connection[Any], workers: int, settings: Mapping[str, str], seconds: float, seed: int,
        progress: Callable[[float], bool],
    ) -> pl.DataFrame:  # fmt: skip
        names = dict.fromkeys((*SHOWN, *settings))
        in_force = {name: str(value) for name, value in watcher.execute("SELECT name, current_setting(name) FROM pg_settings WHERE name = ANY (%s)", [list(names)]).fetchall()}  # fmt: skip
        asked = {
            "seconds": seconds, "seed": seed, "pace": asdict(self.workload.arrival.pace()), "statements": [s.model_dump() for s in self.workload.statements],
        }  # fmt: skip
        pipes = self._start_workers(one, workers, asked)
        for pipe in pipes:
            if not pipe.poll(READY_S) or pipe.recv_bytes() != b"ready":
                raise BadTrial("workload.arrival.workers: a worker could not connect", "workload.arrival.workers")
        for pipe in pipes:
            pipe.send_bytes(b"go")
        counts, looks = dict[str, float](), 0
        began, goes, rows = time.monotonic(), True, list[bytes]()
        left, until = list(pipes), time.monotonic() + seconds + max(DRAIN_S, seconds)
        while left and time.monotonic() < until:
            ready = wait(left, timeout=SAMPLE_S)
            for pipe in [one for one in left if one in ready]:
                with suppress(EOFError):
                    rows.append(pipe.recv_bytes())
                left.remove(pipe)
            elapsed = time.monotonic() - began
            if elapsed < seconds:
                looks += 1
                for event, count in watcher.execute(WAITING, [ASKER]).fetchall():
                    family = self._families.family(event)
                    counts[family] = counts.get(family, 0.0) + count
            if goes and not progress(min(elapsed, seconds)):
                goes = False
                for pipe in left:
                    with suppress(OSError):
                        pipe.send_bytes(b"end")
        self._observed = Observed({name: count / max(looks, 1) for name, count in counts.items()}, in_force)
        frames = [_frame(one) for one in rows]
        return pl.concat(frames) if frames and goes else pl.DataFrame(schema=SCHEMA)

    def _start_workers(self, one: Instance, workers: int, asked: dict[str, Any]) -> list[Connection]:
        context = multiprocessing.get_context("spawn")
        reached = {"host": one.host, "port": PORT, "user": ASKER, "dbname": DATABASE, "connect_timeout": 20}
        pipes = []
        for number in range(workers):
            here, there = context.Pipe()
            process = context.Process(target=work, args=(there, reached, asked, number), daemon=True)
            process.start()
            there.close()
            self._running.append(process)
            pipes.append(here)
        return pipes

    def _end_workers(self) -> None:
        for process in self._running:
            process.join(0.5)
            if process.is_alive():
                process.kill()
                process.join(5)
        self._running = []

    def observed(self) -> Observed | None:
        """What was seen of the last run: active sessions by wait family, and the settings that were in force."""
        return self._observed

    def close(self) -> None:
        """End all processes and take the instance away."""
        self._end_workers()
        self._base.remove()


def _frame(content: bytes) -> pl.DataFrame:
    """The arrays that a worker sends."""
    count = len(content) // 21
    parts = np.split(np.frombuffer(content, np.uint8), np.cumsum([8 * count, 8 * count, 4 * count]))
    types = (np.float64, np.float64, np.int32, np.int8)
    columns = [part.view(kind) for part, kind in zip(parts, types, strict=True)]
    return pl.DataFrame(dict(zip(SCHEMA, columns, strict=True))).cast({"failed": pl.Boolean})


def _text(value: Value) -> str:
    return ("on" if value else "off") if isinstance(value, bool) else str(value)


def _copied(of: Instance, to: Instance) -> None:
    """The data folder of one that is stopped, with its owner and rights."""
    shutil.rmtree(to.folder, ignore_errors=True)
    to.folder.mkdir(mode=0o700)
    shutil.copystat(of.folder, to.folder)
    found = of.folder.stat()
    with suppress(PermissionError):
        shutil.chown(to.folder, found.st_uid, found.st_gid)
    done = subprocess.run(
        ["cp", "-a", "--reflink=auto", str(of.data), str(to.data)], capture_output=True, text=True, check=False
    )
    if done.returncode:
        raise GaugeError(f"the data could not be copied: {done.stderr.strip()[-200:]}", "target.postgresql")


def _scripts(place: MadePostgres) -> list[tuple[str, str]]:
    """What fills it, by name."""
    if place.folder is None:
        source = resources.files("hardy_gauge.load") / "samples" / f"{place.sample}.postgresql.sql"
        return [(f"sample {place.sample}", source.read_text(encoding="utf-8"))]
    if not place.folder.is_dir():
        raise BadTrial(f"target.postgresql.folder: {place.folder} is not a folder", "target.postgresql.folder")
    found = sorted(place.folder.glob("*.sql"))
    if not found:
        raise BadTrial(f"target.postgresql.folder: {place.folder} holds no .sql file", "target.postgresql.folder")
    try:
        return [(path.name, path.read_text(encoding="utf-8")) for path in found]
    except (OSError, UnicodeDecodeError) as error:
        raise BadTrial(f"target.postgresql.folder: {error}", "target.postgresql.folder") from error
