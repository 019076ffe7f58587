"""In the sandbox: the arms of a trial prepared from a copy of its file, and runs with a process for each worker.

Asked over one connection: ``prepare``, ``run``, and ``stop`` while a run goes on. Rows of a run go back as arrays of bytes.
Only the standard library is imported here: every worker is a fork of this process.
"""

from __future__ import annotations

import itertools
import os
import random
import resource
import shutil
import signal
import sqlite3
import time
from array import array
from collections.abc import Sequence
from contextlib import suppress
from multiprocessing import Pipe
from multiprocessing.connection import Connection, wait
from pathlib import Path
from typing import Any, NoReturn

from hardy_gauge.load.pacing import Pace, next_statement, pause_s
from hardy_gauge.load.sqlite_authoriser import guard
from hardy_gauge.sandbox.kernel import die_with_parent
from hardy_gauge.sandbox.limits import set_memory
from hardy_gauge.sandbox.questions import questions, send_answer

SOURCE = "source.db"
BUSY_S = 10.0
FIXED = ("page_size", "journal_mode")  # kept in the file itself, so set before the workers open it
OPERATIONS = 20_000  # of SQLite's machine between two looks at whether a statement has to end
LEAST_DRAIN_S = 30.0
GRACE_S = 3.0
FETCHED = 1000


class NotPossible(Exception):
    """The arm or the statement does not fit the file; ``field`` names it."""

    def __init__(self, field: str, detail: str) -> None:
        super().__init__(detail)
        self.field = field


def play(connection: Connection, folder: Path) -> None:
    """Answer until the connection is closed."""
    for asked in questions(connection):
        try:
            if asked["do"] == "prepare":
                _try_arms(folder, asked["arms"], asked["statements"])
                send_answer(connection)
            elif asked["do"] == "run":
                _run(connection, folder, asked)
        except NotPossible as error:
            send_answer(connection, error=str(error), field=error.field)
        except MemoryError:
            send_answer(connection, error="it needs more memory than a trial may use", field="arms")


def _try_arms(folder: Path, arms: Sequence[dict[str, Any]], statements: Sequence[dict[str, Any]]) -> None:
    """Prepare every arm once and each statement in it, so that mistakes show before the first run."""
    for number, arm in enumerate(arms):
        path = _prepare(folder, arm, number)
        connection = sqlite3.connect(path)
        authoriser = guard(connection)
        for i, statement in enumerate(statements):
            try:
                connection.execute(f"EXPLAIN {statement['sql']}", [1] * len(statement["parameters"]))
            except (sqlite3.Error, sqlite3.Warning, ValueError, OverflowError) as error:
                why = f"a trial's statement cannot {authoriser.denied}" if authoriser.denied else str(error)
                raise NotPossible(f"workload.statements.{i}.sql", why) from error
        connection.close()
        _remove(path)


def _prepare(folder: Path, arm: dict[str, Any], number: int) -> Path:
    path = folder / f"arm-{number}-{time.monotonic_ns()}.db"
    shutil.copyfile(folder / SOURCE, path)
    settings = arm["settings"]
    connection = sqlite3.connect(path, isolation_level=None)
    try:
        if "page_size" in settings:
            connection.execute("PRAGMA journal_mode=delete")
            connection.execute(f"PRAGMA page_size={settings['page_size']}")
            connection.execute("VACUUM")
        if "journal_mode" in settings:
            connection.execute(f"PRAGMA journal_mode={settings['journal_mode']}")
        guard(connection)
        for name in arm["drop_indexes"]:
            connection.execute(f"DROP INDEX {_quoted(name)}")
        for spec in arm["add_indexes"]:
            name = spec["name"] or f"{spec['table']}_{'_'.join(spec['columns'])}"
            # in double quotes an unknown column would be a string
            columns = ", ".join("`{}`".format(c.replace("`", "``")) for c in spec["columns"])
            connection.execute(f"CREATE INDEX {_quoted(name)} ON {_quoted(spec['table'])} ({columns})")
    except (sqlite3.Error, sqlite3.Warning, ValueError) as error:
        raise NotPossible(f"arms.{number}", str(error)) from error
    finally:
        connection.close()
    return path


def _quoted(name: str) -> str:
    return '"{}"'.format(name.replace('"', '""'))


def _remove(path: Path) -> None:
    for left in path.parent.glob(f"{path.name}*"):
        left.unlink()


def _run(connection: Connection, folder: Path, asked: dict[str, Any]) -> None:
    """One run; its rows are sent as one message of bytes for each worker that ended by itself."""
    path = _prepare(folder, asked["arm"], 0)
    workers: dict[Connection, int] = {}
    for number in range(asked["workers"]):
        here, there = Pipe()
        child = os.fork()
        if child == 0:
            _be_worker(there, path, asked, number)
        there.close()
        workers[here] = child
    rows = [found for pipe in workers if (found := _received(pipe)) == b"ready"]
    for pipe in workers:
        with suppress(OSError):
            pipe.send_bytes(b"go")
    send_answer(connection, began=len(rows))
    _send_rows(connection, _gathered(connection, workers, asked["seconds"]))
    _remove(path)


def _received(pipe: Connection) -> bytes | None:
    try:
        return pipe.recv_bytes()
    except (EOFError, OSError):
        return None


def _gathered(parent: Connection, workers: dict[Connection, int], seconds: float) -> list[bytes]:
    """Rows of the workers, once they end: by their time, stopped, or because a statement does not end."""
    found: list[bytes] = []
    left = dict(workers)
    interrupt_at = time.monotonic() + seconds + max(LEAST_DRAIN_S, seconds)
    kill_at = interrupt_at + GRACE_S
    interrupted = stopped = False
    while left:
        ready = wait([*left, parent] if not stopped else [*left], timeout=0.1)
        if parent in ready and not stopped:
            stopped = True
            if _received(parent) is None:
                os._exit(1)
            interrupt_at, kill_at = 0.0, time.monotonic() + GRACE_S
        for pipe in [pipe for pipe in left if pipe in ready]:
            child = left.pop(pipe)
            if (rows := _received(pipe)) is not None:
                found.append(rows)
            pipe.close()
            os.waitpid(child, 0)
        if time.monotonic() > interrupt_at and not interrupted:
            interrupted = True
            _signal(left.values(), signal.SIGTERM)
        if time.monotonic() > kill_at:
            _signal(left.values(), signal.SIGKILL)
    return found


def _signal(children: Any, number: signal.Signals) -> None:
    for child in children:
        with suppress(ProcessLookupError):
            os.kill(child, number)


def _send_rows(connection: Connection, rows: list[bytes]) -> None:
    send_answer(connection, workers=len(rows))
    for one in rows:
        connection.send_bytes(one)


class _Ending:
    """Whether a worker has to end now; SQLite asks it between the operations of a statement."""

    def __init__(self) -> None:
        self.now = False

    def __call__(self, *_: object) -> int:
        return int(self.now)

    def begin(self, *_: object) -> None:
        self.now = True


def _be_worker(pipe: Connection, path: Path, asked: dict[str, Any], number: int) -> NoReturn:
    """The whole life of a forked worker."""
    code = 1
    try:
        ending = _Ending()
        signal.signal(signal.SIGTERM, ending.begin)
        die_with_parent()
        set_memory(asked["worker_memory_bytes"])
        cpu_s = int(asked["seconds"] + max(LEAST_DRAIN_S, asked["seconds"])) + 60
        resource.setrlimit(resource.RLIMIT_CPU, (cpu_s, cpu_s))
        _work(pipe, path, asked, number, ending)
        code = 0
    finally:
        os._exit(code)


def _work(pipe: Connection, path: Path, asked: dict[str, Any], number: int, ending: _Ending) -> None:
    """Executions one after another until the time is over. Each execution is a transaction.

    Sent at last: start and duration in seconds (float64 each), the statement's number (int32), whether it failed (int8).
    """
    draw = random.Random(asked["seed"] * 1000 + number)
    connection = sqlite3.connect(path, isolation_level=None, timeout=BUSY_S)
    for name, value in asked["arm"]["settings"].items():
        if name not in FIXED:
            connection.execute(f"PRAGMA {name}={value}")
    guard(connection)
    connection.set_progress_handler(ending, OPERATIONS)
    statements, pace, seconds = asked["statements"], Pace(**asked["pace"]), asked["seconds"]
    weights = [s["weight"] for s in statements]
    writes = [not s["sql"].lstrip().lower().startswith(("select", "with")) for s in statements]
    starts, durations, which_of, failures = array("d"), array("d"), array("i"), array("b")
    pipe.send_bytes(b"ready")
    pipe.recv_bytes()
    began = time.perf_counter()
    for turn in itertools.count():
        now = time.perf_counter() - began
        if now >= seconds or ending.now:
            break
        if pause := pause_s(pace, draw):
            time.sleep(pause)
            now = time.perf_counter() - began
        which = next_statement(pace, turn, number, weights, draw)
        values = [_value(draw, parameter) for parameter in statements[which]["parameters"]]
        failed = not _executed(connection, statements[which]["sql"], values, writes[which])
        starts.append(now)
        durations.append(time.perf_counter() - began - now)
        which_of.append(which)
        failures.append(failed)
    pipe.send_bytes(b"".join(column.tobytes() for column in (starts, durations, which_of, failures)))


def _executed(connection: sqlite3.Connection, sql: str, values: list[int], writes: bool) -> bool:
    """False when the statement failed; its transaction is rolled back then."""
    try:
        if writes:
            connection.execute("BEGIN IMMEDIATE")
        cursor = connection.execute(sql, values)
        while cursor.fetchmany(FETCHED):
            pass
        if writes:
            connection.execute("COMMIT")
    except (sqlite3.Error, MemoryError, OverflowError):
        with suppress(sqlite3.Error):
            if connection.in_transaction:
                connection.execute("ROLLBACK")
        return False
    return True


def _value(draw: random.Random, parameter: dict[str, float]) -> int:
    span = parameter["high"] - parameter["low"] + 1
    return int(parameter["low"] + span * draw.random() ** (1 / (1 - parameter["skew"])))
