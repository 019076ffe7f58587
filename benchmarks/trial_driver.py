"""What the driver of a trial costs: statements a second of its workers against bare loops and against the engine's own bench program, in turns,
and the speed of making the data of the standard sets.
"""

from __future__ import annotations

import random
import re
import sqlite3
import statistics
import subprocess
import tempfile
import time
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import psycopg
from tests.postgres import running_postgres

from hardy_gauge.lab.programs import programs_for
from hardy_gauge.load.parts import ArmSpec, StandardData, Target, Workload
from hardy_gauge.load.postgres.arms import asked_of
from hardy_gauge.load.postgres.play import PostgresPlay
from hardy_gauge.load.sqlite_target import SqliteTarget, _copy
from hardy_gauge.load.standard.maker import SETS, StandardSet, rows_of

SECONDS, ROUNDS, ROWS = 3.0, 5, 100_000
POSTGRES_TEXT, SQLITE_TEXT = "SELECT note FROM loan WHERE id = $1", "SELECT due_day FROM loan WHERE id = ?"
LONGER_TEXT = "SELECT count(note) FROM loan WHERE id BETWEEN $1 AND $1 + 5000"
Rate = Callable[[], float]


def _in_turns(ours: Rate, theirs: Rate) -> float:
    """Median of ours ÷ theirs, run one after the other."""
    ours(), theirs()
    return statistics.median(ours() / theirs() for _ in range(ROUNDS))


def _workload(text: str, workers: int) -> Workload:
    parameters = [{"low": 1, "high": ROWS}]
    statements = [{"sql": text, "parameters": parameters}]
    return Workload.model_validate({"statements": statements, "arrival": {"kind": "closed", "workers": workers}})


def _sqlite() -> float:
    arm, workload = ArmSpec(name="control"), _workload(SQLITE_TEXT, 1)
    with (
        tempfile.TemporaryDirectory() as folder,
        closing(SqliteTarget(Target(sample="library"), workload, [arm])) as target,
    ):
        path = Path(folder) / "bare.db"
        _copy(Target(sample="library"), path)

        def ours() -> float:
            frame = target.run(arm, SECONDS, 1, lambda _: True)
            return len(frame) / SECONDS

        def bare() -> float:
            connection, draw, done = sqlite3.connect(path, isolation_level=None), random.Random(1), 0
            ends = time.perf_counter() + SECONDS
            while time.perf_counter() < ends:
                connection.execute(SQLITE_TEXT, [draw.randint(1, ROWS)]).fetchall()
                done += 1
            connection.close()
            return done / SECONDS

        return _in_turns(ours, bare)


def _postgresql(owner: psycopg.Connection) -> dict[str, float]:
    reached: dict[str, Any] = {
        "host": owner.info.host,
        "port": owner.info.port,
        "user": "postgres",
        "dbname": "postgres",
        "application_name": "bench",
    }

    def ours(workers: int, text: str = POSTGRES_TEXT) -> Rate:
        def rate() -> float:
            with closing(PostgresPlay(reached, owner, ["bench"], here=True)) as play:
                return len(play.run(workers, asked_of(_workload(text, workers), SECONDS, 1), lambda _: True)) / SECONDS

        return rate

    def bare() -> float:
        draw, done = random.Random(1), 0
        with psycopg.connect(**reached, autocommit=True) as connection:
            cursor = psycopg.RawCursor(connection)
            ends = time.perf_counter() + SECONDS
            while time.perf_counter() < ends:
                cursor.execute(POSTGRES_TEXT, [draw.randint(1, ROWS)], prepare=True).fetchall()
                done += 1
        return done / SECONDS

    def bench_program(workers: int, text: str = POSTGRES_TEXT) -> Rate:
        def rate() -> float:
            with tempfile.NamedTemporaryFile("w", suffix=".sql") as script:
                script.write(f"\\set id random(1, {ROWS})\n{text.replace('$1', ':id')};\n")
                script.flush()
                command = [
                    programs_for().path("pgbench"), "-n", "-M", "prepared", "-c", str(workers), "-j", str(workers), "-T", f"{SECONDS:.0f}",
                    "-f", script.name, "-h", str(owner.info.host), "-p", str(owner.info.port), "-U", "postgres", "postgres",
                ]  # fmt: skip
                said = subprocess.run(command, capture_output=True, text=True, check=True).stdout
            found = re.search(r"tps = ([\d.]+)", said)
            assert found is not None, said
            return float(found[1])

        return rate

    return {
        "postgresql, of a bare loop": _in_turns(ours(1), bare),
        "postgresql, of the bench program, 1 worker": _in_turns(ours(1), bench_program(1)),
        "postgresql, of the bench program, 2 workers": _in_turns(ours(2), bench_program(2)),
        "postgresql, the same, calls of a millisecond": _in_turns(ours(2, LONGER_TEXT), bench_program(2, LONGER_TEXT)),
    }


def _made(name: StandardSet) -> float:
    """Million rows a minute."""
    began = time.perf_counter()
    rows = sum(frame.height for _, frame in rows_of(name, 1.0, 1))
    return rows / 1e6 / (time.perf_counter() - began) * 60


def _filled(name: StandardSet) -> float:
    """Million rows a minute into a SQLite file, with its indexes."""
    data = StandardData.model_validate({"set": name, "scale": 0.3})
    rows = sum(len(frame) for _, frame in rows_of(data.set, data.scale, data.seed))
    with tempfile.TemporaryDirectory() as folder:
        began = time.perf_counter()
        _copy(Target(standard=data), Path(folder) / "filled.db")
        return rows / 1e6 / (time.perf_counter() - began) * 60


def measure() -> dict[str, float]:
    found = {"sqlite, of a bare loop": _sqlite()}
    with running_postgres() as owner:
        owner.execute("CREATE TABLE loan (id int PRIMARY KEY, note text)")
        owner.execute(f"INSERT INTO loan SELECT i, 'note ' || i FROM generate_series(1, {ROWS}) i".encode())
        owner.execute("VACUUM ANALYZE loan")
        found |= _postgresql(owner)
    for name in SETS:
        found |= {f"{name}: million rows a minute made": _made(name), f"{name}: and put into SQLite": _filled(name)}
    return found
