"""Opening the store: one SQLite file in WAL mode."""

from __future__ import annotations

import sqlite3
import threading
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from contextvars import ContextVar
from dataclasses import replace
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.orm import Session, sessionmaker

from hardy_gauge.context import holding
from hardy_gauge.store.audit import acts, add_line, close_line, note_changes
from hardy_gauge.store.data_folder import FOLDER, make_file
from hardy_gauge.store.migrate import upgrade
from hardy_gauge.store.reach import leave_out
from hardy_gauge.store.write_health import WriteHealth

INCREMENTAL = 2  # of PRAGMA auto_vacuum
MOST_REWRITTEN = 2**30
_moment: ContextVar[tuple[object, Session] | None] = ContextVar("the moment at which the store is read", default=None)


class Store:
    """The file and its sessions; ``write`` is one transaction, taken at once so that writers queue."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(mode=FOLDER, parents=True, exist_ok=True)
        make_file(path)
        enable_incremental_vacuum(path)
        self.path, self.health = path, WriteHealth()
        self.engine: Engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 30})
        event.listen(self.engine, "connect", _on_connect)
        event.listen(self.engine, "begin", _on_begin)
        upgrade(self.engine, path)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        # one at a time in this process: a checkpoint never meets another writer, and nobody polls the file for its turn
        self.writing = threading.RLock()
        event.listen(self._sessions, "before_flush", note_changes)
        event.listen(self._sessions, "do_orm_execute", leave_out)

    @contextmanager
    def read(self) -> Iterator[Session]:
        """A session that reads; it sees the store at one moment."""
        held = _moment.get()
        if held is not None and held[0] is self:
            yield held[1]
            return
        with self._sessions() as session:
            yield session

    @contextmanager
    def moment(self) -> Iterator[Session]:
        """Within it, every ``read`` of this context is of one session, so that all that is read is of one moment."""
        with self.read() as session, holding(_moment, (self, session)):
            yield session

    def note(self, action: str, **detail: Any) -> None:
        """A line in the audit log for what whoever acts does without changing the store; nothing where nobody acts."""
        found = acts()
        if found is None:
            return
        with self.writing, self._sessions() as session:
            session.connection(execution_options={"writes": True})
            add_line(session, replace(found, action=action), detail)
            session.commit()
        self.health.succeeded(0.0, True)

    @contextmanager
    def write(self) -> Iterator[Session]:
        """A session that writes: committed at its end, rolled back on an error. Writers follow one another. Where somebody
        acts, their line in the audit log is of the same transaction.
        """
        began = time.monotonic()
        with self.writing, self._sessions() as session:
            try:
                session.connection(execution_options={"writes": True})
                yield session
                session.flush()
                close_line(session)
                session.commit()
            except BaseException as error:
                self.health.failed(error)
                session.rollback()
                raise
        self.health.succeeded(time.monotonic() - began, acts() is not None)

    def close(self) -> None:
        """Close all connections."""
        self.engine.dispose()


def enable_incremental_vacuum(path: Path) -> None:
    """Let a store give freed pages back in steps, which has to be said before its first table; one of before is rewritten
    once, while it is small enough for that to be quick. Where
    somebody else is using the store it is left as it is.
    """
    with suppress(sqlite3.DatabaseError), closing(sqlite3.connect(path)) as connection:
        if connection.execute("PRAGMA auto_vacuum").fetchone()[0] == INCREMENTAL:
            return
        connection.execute(f"PRAGMA auto_vacuum={INCREMENTAL}")
        if path.stat().st_size < MOST_REWRITTEN:
            connection.execute("VACUUM")


def _on_connect(connection: Any, _: Any) -> None:
    connection.isolation_level = None
    cursor = connection.cursor()
    for pragma in ("journal_mode=WAL", "synchronous=NORMAL", "foreign_keys=ON", "busy_timeout=30000"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _on_begin(connection: Any) -> None:
    writes = connection.get_execution_options().get("writes", False)
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")
