"""In the sandbox: the arms of a trial prepared from a copy of its file, and runs with a process for each worker.

Asked over one connection: ``prepare``, ``run``, and ``stop`` while a run goes on. Rows of a run go back as arrays of bytes.
Only the standard library is imported here: every worker is a fork of this process.
"""

from __future__ import annotations

import os
import resource
import shutil
import signal
import sqlite3
import time
from collections.abc import Sequence
from contextlib import suppress
from multiprocessing import Pipe
from multiprocessing.connection import Connection, wait
from pathlib import Path
from typing import Any, NoReturn

from hardy_gauge.load.pacing import Calls, Drawn
from hardy_gauge.load.second_counts import shared_counts
from hardy_gauge.load.sqlite_authoriser import Authoriser, guard
from hardy_gauge.load.worker_loop import shared_queue, work_through
from hardy_gauge.sandbox.kernel import die_with_parent
from hardy_gauge.sandbox.limits import set_memory
from hardy_gauge.sandbox.questions import questions, send_answer

SOURCE = "source.db"
COUNTS = "counts"  # of the workers by second, while a run goes on
BUSY_S = 10.0
FIXED = ("page_size", "journal_mode")  # kept in the file itself, so set before the workers open it
OPERATIONS = 20_000  # of SQLite's machine between two looks at whether a statement has to end
LEAST_DRAIN_S = 30.0
GRACE_S = 3.0
CHECK_S = 60.0
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
                _try_arms(folder, asked["arms"], asked["statements"], asked["checks"])
                send_answer(connection)
            elif asked["do"] == "run":
                _run(connection, folder, asked)
        except NotPossible as error:
            send_answer(connection, error=str(error), field=error.field)
        except MemoryError:
            send_answer(connection, error="it needs more memory than a trial may use", field="arms")


def _try_arms(
    folder: Path, arms: Sequence[dict[str, Any]], statements: Sequence[dict[str, Any]], checks: Sequence[dict[str, Any]]
) -> None:  # fmt: skip
    """Prepare every arm once and each statement in it, so that mistakes show before the first run."""
    for number, arm in enumerate(arms):
        path = _prepare(folder, arm, number)
        connection = sqlite3.connect(path)
        authoriser = guard(connection)
        for i, statement in enumerate(statements):
            field = f"workload.statements.{i}.{'sql' if len(statement['calls']) == 1 else 'steps'}"
            for text, places in statement["calls"]:
                _try(connection, authoriser, text, len(places), field)
        for i, check in enumerate(checks):
            _try(connection, authoriser, check["sql"], 0, f"workload.checks.{i}.sql")
        connection.close()
        _remove(path)


def _try(connection: sqlite3.Connection, authoriser: Authoriser, text: str, values: int, field: str) -> None:
    try:
        connection.execute(f"EXPLAIN {text}", [1] * values)
    except (sqlite3.Error, sqlite3.Warning, ValueError, OverflowError) as error:
        why = f"a trial's statement cannot {authoriser.denied}" if authoriser.denied else str(error)
        raise NotPossible(field, why) from error


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
    plans, due = _plans(path, asked), asked.pop("due")
    asked["arrivals"] = None if due is None else shared_queue(due)
    asked["counts"] = shared_counts(asked["workers"], folder / COUNTS)
    workers: dict[Connection, int] = {}
    for number in range(asked["workers"]):
        here, there = Pipe()
        child = os.fork()
        if child == 0:
            _be_worker(there, path, asked, number)
        there.close()
        workers[here] = child
    for name in ("arrivals", "counts"):
        if asked[name] is not None:
            os.close(asked[name])
    rows = [found for pipe in workers if (found := _received(pipe)) == b"ready"]
    began = time.perf_counter()
    for pipe in workers:
        with suppress(OSError):
            pipe.send(began)
    send_answer(connection, began=len(rows), plans=plans)
    rows = _gathered(connection, workers, asked["seconds"])
    send_answer(connection, workers=len(rows), checks=_checked(path, asked["checks"]))
    for one in rows:
        connection.send_bytes(one)
    _remove(path)


def _checked(path: Path, checks: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Whether each check holds after a run, and what its query gave otherwise, or why it could not be asked."""
    found = []
    connection = sqlite3.connect(path, isolation_level=None, timeout=BUSY_S)
    guard(connection)
    ends = time.monotonic() + CHECK_S
    connection.set_progress_handler(lambda: time.monotonic() > ends, OPERATIONS)
    for one in checks:
        try:
            row = connection.execute(one["sql"]).fetchone()
            found.append({"name": one["name"], "held": row is None, "found": "" if row is None else str(row)[:200]})
        except sqlite3.Error as error:
            found.append({"name": one["name"], "held": None, "found": str(error)[:200]})
    connection.close()
    return found


def _opened(path: Path, settings: dict[str, Any]) -> sqlite3.Connection:
    """A connection with the settings of an arm that are not kept in the file."""
    connection = sqlite3.connect(path, isolation_level=None, timeout=BUSY_S)
    for name, value in settings.items():
        if name not in FIXED:
            connection.execute(f"PRAGMA {name}={value}")
    guard(connection)
    return connection


def _plans(path: Path, asked: dict[str, Any]) -> list[list[dict[str, Any]]]:
    """Rows of ``EXPLAIN QUERY PLAN`` of each statement; no rows where there is none."""
    found, connection = [], _opened(path, asked["arm"]["settings"])
    for statement in asked["statements"]:
        text, places = statement["calls"][0]
        try:
            if len(statement["calls"]) > 1:
                raise sqlite3.ProgrammingError("a transaction of several statements has no plan")
            rows = connection.execute(f"EXPLAIN QUERY PLAN {text}", [1] * len(places)).fetchall()
        except sqlite3.Error:
            rows = []
        found.append([{"id": row[0], "parent": row[1], "detail": row[3]} for row in rows])
    connection.close()
    return found


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
    """Executions one after another until the time is over. Each execution is a transaction. Its rows are sent at last."""
    connection = _opened(path, asked["arm"]["settings"])
    connection.set_progress_handler(ending, OPERATIONS)
    played = [
        (one["calls"], any(not text.lstrip().lower().startswith(("select", "with")) for text, _ in one["calls"]))
        for one in asked["statements"]
    ]
    pipe.send_bytes(b"ready")
    began: float = pipe.recv()

    def execute(which: int, values: list[Drawn]) -> bool:
        return _executed(connection, *played[which], values)

    pipe.send_bytes(work_through(asked, number, execute, lambda: ending.now, began).packed())


def _executed(connection: sqlite3.Connection, calls: Calls, writes: bool, values: list[Drawn]) -> bool:
    """False when a statement failed; its transaction is rolled back then."""
    several = len(calls) > 1
    together = writes or several
    try:
        if together:
            connection.execute("BEGIN IMMEDIATE" if writes else "BEGIN")
        for text, places in calls:
            cursor = connection.execute(text, [values[place] for place in places] if several else values)
            while len(cursor.fetchmany(FETCHED)) == FETCHED:
                pass
        if together:
            connection.execute("COMMIT")
    except (sqlite3.Error, MemoryError, OverflowError):
        with suppress(sqlite3.Error):
            if connection.in_transaction:
                connection.execute("ROLLBACK")
        return False
    return True
