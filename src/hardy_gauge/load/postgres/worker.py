"""A worker of a trial on PostgreSQL: executions one after another until the time is over, in a process of its own."""

from __future__ import annotations

import signal
import subprocess
import sys
from collections.abc import Sequence
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from typing import Any

import psycopg
from psycopg import pq

from hardy_gauge.load.pacing import Calls, Drawn
from hardy_gauge.load.worker_loop import work_through
from hardy_gauge.sandbox.kernel import die_with_parent

COMMAND_OK = pq.ExecStatus.COMMAND_OK
SUCCEEDED = frozenset(int(one) for one in (COMMAND_OK, pq.ExecStatus.TUPLES_OK, pq.ExecStatus.EMPTY_QUERY))


def begin(reached: dict[str, Any], asked: dict[str, Any], number: int) -> tuple[subprocess.Popen[bytes], Connection]:
    """Start one, and our end of its pipe. It is a program of its own that imports little: a process made by ``multiprocessing`` would
    import all of the application first.
    """
    here, there = Pipe()
    kept = [there.fileno(), *(asked[name] for name in ("arrivals", "counts") if asked.get(name) is not None)]
    process = subprocess.Popen(
        [sys.executable, "-m", __name__, str(there.fileno())], pass_fds=kept, stdin=subprocess.DEVNULL, preexec_fn=die_with_parent,
    )  # fmt: skip
    there.close()
    here.send((reached, asked, number))
    return process, here


def work(pipe: Connection) -> None:
    """The whole life of a worker: told what to do, its "ready" is answered with when the run began, its rows are sent at last; any message
    meanwhile ends it.
    """
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    reached, asked, number = pipe.recv()
    with psycopg.connect(**reached, autocommit=True) as connection:
        played = [Played(connection.pgconn, place, one["calls"]) for place, one in enumerate(asked["statements"])]
        pipe.send_bytes(b"ready")
        began: float = pipe.recv()
        rows = work_through(asked, number, lambda which, values: played[which].executed(values), pipe.poll, began)
    pipe.send_bytes(rows.packed())


class Played:
    """A statement or a transaction, prepared. It is executed with libpq itself: rows are received and not read, values go as text, so that a
    worker takes little more than the engine's own bench program does.
    """

    def __init__(self, connection: pq.abc.PGconn, number: int, calls: Calls) -> None:
        self._connection, self._several = connection, len(calls) > 1
        self._calls = [(f"played_{number}_{place}".encode(), places) for place, (_, places) in enumerate(calls)]
        for (name, _), (text, _) in zip(self._calls, calls, strict=True):
            connection.prepare(name, text.encode())

    def executed(self, values: list[Drawn]) -> bool:
        """False where a statement failed; the transaction is rolled back then."""
        given: list[Any] = [None if one is None else str(one).encode() for one in values]
        if not self._several:
            return self._call(self._calls[0][0], given)
        self._connection.exec_(b"BEGIN")
        for name, places in self._calls:
            if not self._call(name, [given[place] for place in places]):
                self._connection.exec_(b"ROLLBACK")
                return False
        done: bool = self._connection.exec_(b"COMMIT").status == COMMAND_OK
        return done

    def _call(self, name: bytes, values: Sequence[Any]) -> bool:
        """psycopg.OperationalError where the server is gone: nothing more can be executed."""
        if self._connection.exec_prepared(name, values).status in SUCCEEDED:
            return True
        if self._connection.status != pq.ConnStatus.OK:
            raise psycopg.OperationalError("the connection is lost")
        return False


if __name__ == "__main__":
    work(Connection(int(sys.argv[1])))
