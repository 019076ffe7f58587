"""The way back of a server that a trial changes: kept before the first change, gone at the end of the trial, and by whoever is left after a kill.

A guard, a process of its own, holds the other end of a pipe; where the trial's process is gone without having set the server back, it does.
Where both are killed the application does at its next start, or the next trial on that server.
"""

from __future__ import annotations

import logging
import os
import shlex
import subprocess
import sys
import threading
import time
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

import psutil
import psycopg
from sqlalchemy import select

from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.errors import GaugeError
from hardy_gauge.lab.made.calls import said
from hardy_gauge.load.postgres.access import ServerAccess, access_of, connect
from hardy_gauge.store.database import Store
from hardy_gauge.store.trial_models import WayBack

log = logging.getLogger(__name__)
LOCK_MS, ENDING_S, CONNECT_S, RESTART_S = 20_000, 10.0, 20.0, 120.0
END_SESSIONS = (
    "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = %s AND pid <> pg_backend_pid()"
)
LEFT = "SELECT count(*) FROM pg_stat_activity WHERE application_name = %s AND pid <> pg_backend_pid()"
RELOAD = "SELECT pg_reload_conf()"
EVERY_S = 60.0
READY, DONE = b"ready\n", b"done\n"


@dataclass(frozen=True)
class Command:
    """What sets one thing back. It may be run twice."""

    sql: str
    words: str


def keep(
    store: Store, access: ServerAccess, trial_id: int | None, name: str, commands: Sequence[Command], restart: str, now_us: int
) -> int:  # fmt: skip
    """Store a way back; its number."""
    with store.write() as session:
        row = WayBack(
            server_id=access.server_id, trial_id=trial_id, account_id=access.account_id, database=access.database, name=name,
            commands=[{"sql": one.sql, "words": one.words} for one in commands], restart=restart, owner=_owner(), began_us=now_us,
        )  # fmt: skip
        session.add(row)
        session.flush()
        return row.id


def _owner() -> dict[str, float]:
    return {"process": os.getpid(), "began": psutil.Process().create_time()}


def _lives(owner: dict[str, Any]) -> bool:
    try:
        return abs(psutil.Process(int(owner["process"])).create_time() - float(owner["began"])) < 1.0
    except (psutil.NoSuchProcess, KeyError):
        return False


def unfinished(store: Store, server_id: int | None = None) -> list[tuple[int, bool]]:
    """Ways back that were not gone to their end, of a server or of all, and whether the trial of each still runs."""
    with store.read() as session:
        rows = session.scalars(select(WayBack).where(WayBack.done_us.is_(None)).order_by(WayBack.id)).all()
        return [(row.id, _lives(row.owner)) for row in rows if server_id in (None, row.server_id)]


def set_back(store: Store, row_id: int, now_us: int) -> str:
    """Go the way back to its end: end the trial's sessions, run every command, read the settings anew, restart where that is wanted.
    What could not be set back is returned and kept; an empty text where all is as before.
    """
    with store.read() as session:
        row = session.get(WayBack, row_id)
        if row is None or row.done_us is not None:
            return ""
        session.expunge(row)
    try:
        access = access_of(store, row.server_id, row.account_id, row.database)
        try:
            problem = _gone_back(access, row)
        finally:
            access.close()
    except GaugeError as error:
        problem = str(error)
    with store.write() as session:
        kept = session.get(WayBack, row_id)
        if kept is not None:
            kept.problem, kept.done_us = problem, None if problem else now_us
    return problem


def _gone_back(access: ServerAccess, row: WayBack) -> str:
    problems = []
    with reconnected(access, row.name + " back", row.restart) as session:
        session.execute(f"SET lock_timeout = {LOCK_MS}; SET default_transaction_read_only = off".encode())
        _end_sessions(session, row.name)
        for one in row.commands:
            try:
                session.execute(one["sql"].encode())
            except psycopg.Error as error:
                problems.append(f"{one['words']}: {said(error)}")
        try:
            session.execute(RELOAD)
        except psycopg.Error as error:
            if any("SYSTEM" in one["sql"] for one in row.commands):
                problems.append(f"the settings could not be read anew: {said(error)}")
    if row.restart and not problems:
        restart_server(row.restart)
        reconnected(access, row.name + " back").close()
    return "; ".join(problems)


def _end_sessions(session: psycopg.Connection[Any], name: str) -> None:
    """Also one that builds an index, which would be there after all had been set back."""
    try:
        session.execute(END_SESSIONS, [name])
        until = time.monotonic() + ENDING_S
        while time.monotonic() < until:
            row = session.execute(LEFT, [name]).fetchone()
            if row is not None and row[0] == 0:
                return
            time.sleep(0.05)
    except psycopg.Error as error:  # sessions of a player who is not the account's to end
        log.warning("sessions of %s were not ended: %s", name, said(error))


def reconnected(access: ServerAccess, name: str, restart: str = "") -> psycopg.Connection[Any]:
    """A session of the changing account, waited for while the server may be starting; where it stays away it is restarted."""
    until = time.monotonic() + CONNECT_S
    while True:
        try:
            return connect(access.changer, name)
        except GaugeError:
            if time.monotonic() > until:
                if not restart:
                    raise
                restart_server(restart)
                until, restart = time.monotonic() + CONNECT_S, ""
            time.sleep(0.2)


def restart_server(command: str) -> None:
    """Run the command that the person gave, on this machine, without a shell. GaugeError where it fails."""
    try:
        done = subprocess.run(
            shlex.split(command), capture_output=True, text=True, timeout=RESTART_S, check=False, stdin=subprocess.DEVNULL
        )  # fmt: skip
    except (OSError, ValueError, subprocess.TimeoutExpired) as error:
        raise GaugeError(f"target.restart: {error}", "target.restart") from error
    if done.returncode:
        told = (done.stderr or done.stdout).strip().splitlines()
        raise GaugeError(
            f"target.restart: the command ended with {done.returncode}: {told[-1] if told else 'it says nothing'}",
            "target.restart",
        )


class Guard:
    """The process that sets a server back when this one is gone without having done so."""

    def __init__(self, store: Store, row_id: int) -> None:
        command = [
            sys.executable,
            "-m",
            "hardy_gauge.cli.main",
            "trial-guard",
            str(row_id),
            "--data",
            str(store.path.parent),
        ]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, start_new_session=True)
        assert self._process.stdout is not None
        if self._process.stdout.readline() != READY:
            self._process.kill()
            self._process.wait()
            raise GaugeError("the process that would set the server back after a kill did not start", "target.server")

    def dismiss(self) -> None:
        """Nothing is left to be done."""
        assert self._process.stdin is not None
        with suppress(OSError):
            self._process.stdin.write(DONE)
            self._process.stdin.close()
        self._process.wait()


def watch_over(store: Store, row_id: int) -> None:
    """The life of a guard: until it is told that nothing is left to be done, or nobody is there any more who could tell."""
    with suppress(OSError):  # who started it may be gone already
        sys.stdout.buffer.write(READY)
        sys.stdout.buffer.flush()
    if sys.stdin.buffer.readline() != DONE:
        set_back(store, row_id, clock_us())


def set_back_all(store: Store, now_us: int, server_id: int | None = None) -> list[str]:
    """Go every way back whose trial is gone; what could not be set back."""
    left = [row_id for row_id, lives in unfinished(store, server_id) if not lives]
    return [problem for row_id in left if (problem := set_back(store, row_id, now_us))]


class WayBackWorker:
    """Beside the application: at its start and from time to time, servers are set back that a trial left changed."""

    def __init__(self, store: Store, clock: Any) -> None:
        self._store, self._clock, self._over = store, clock, threading.Event()

    def start(self) -> None:
        """Begin; also once more after a stop."""
        self._over = threading.Event()
        threading.Thread(target=self._run, args=[self._over], name="ways back", daemon=True).start()

    def stop(self) -> None:
        """End, without waiting for a server that does not answer."""
        self._over.set()

    def _run(self, over: threading.Event) -> None:
        while not over.is_set():
            try:
                for problem in set_back_all(self._store, self._clock()):
                    log.warning("a server is not as it was before a trial: %s", problem)
            except Exception:
                log.exception("servers that trials left changed could not be looked for")
            over.wait(EVERY_S)
