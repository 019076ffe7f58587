"""One connection to a watched server: read-only, in short statements, given up on when it hangs."""

from __future__ import annotations

import os
import re
import socket
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from typing import Any

from sqlalchemy import URL, Connection, Engine, create_engine, make_url, text
from sqlalchemy.exc import ArgumentError, DBAPIError, NoSuchModuleError, SQLAlchemyError
from sqlalchemy.pool import NullPool

from hardy_gauge.probes.protocol import ProbeError

MARK = "/* hardy-gauge */ "
CONNECT_S = 5
Row = dict[str, Any]


def parse(address: str) -> URL:
    """The address as a URL; ProbeError names what is wrong without repeating a password."""
    try:
        return make_url(address)
    except ArgumentError as error:
        raise ProbeError("the address is not a database URL such as postgresql+psycopg://host:5432/name") from error


class Line:
    """A connection that is opened when first needed, and again after it broke. One call at a time."""

    def __init__(self, url: URL, setup: Sequence[str], deadline_s: float = 5.0) -> None:
        self.url, self.setup, self.deadline_s = url, setup, deadline_s
        self._connection: Connection | None = None
        self._lock = threading.RLock()

    def _engine(self) -> Engine:
        arguments = {"connect_timeout": CONNECT_S} if "psycopg" in self.url.drivername else {}
        try:
            return create_engine(
                self.url, poolclass=NullPool, isolation_level="AUTOCOMMIT", connect_args=arguments, hide_parameters=True
            )
        except (NoSuchModuleError, ModuleNotFoundError, SQLAlchemyError) as error:
            raise ProbeError(f"no driver for {self.url.drivername} is installed") from error

    def _open(self) -> Connection:
        if self._connection is None or self._connection.closed:
            try:
                connection = self._engine().connect()
            except (SQLAlchemyError, UnicodeError, ValueError) as error:
                raise ProbeError(f"no connection: {self._reason(error)}") from error
            self._connection = connection
            with self._watched(connection):
                for statement in self.setup:
                    connection.exec_driver_sql(MARK + statement)
        return self._connection

    @contextmanager
    def session(self) -> Iterator[Connection]:
        """The connection, for several statements in a row; it is dropped after a failure."""
        with self._lock:
            connection = self._open()
            with self._watched(connection):
                yield connection

    def rows(self, sql: str, **parameters: Any) -> list[Row]:
        """Rows of one query by column name; ``:name`` in it is a parameter."""
        with self.session() as connection:
            found = connection.execute(text(MARK + sql), parameters)
            return [dict(row) for row in found.mappings()]

    @contextmanager
    def _watched(self, connection: Connection) -> Iterator[None]:
        """Turn failures into ProbeError; cut the line when it stays silent for longer than the deadline."""
        silent = threading.Event()
        watch = threading.Timer(self.deadline_s * 1.5, self._cut, [connection, silent])
        watch.daemon = True
        watch.start()
        try:
            yield
        except DBAPIError as error:
            if silent.is_set():
                self.close()
                raise ProbeError(f"no answer within {self.deadline_s * 1.5:g} s") from error
            if error.connection_invalidated:
                self.close()
            raise ProbeError(self._reason(error)) from error
        except SQLAlchemyError as error:
            self.close()
            raise ProbeError(self._reason(error)) from error
        finally:
            watch.cancel()

    @staticmethod
    def _cut(connection: Connection, silent: threading.Event) -> None:
        """Shut the socket under a driver that has one, so that whoever waits for it fails."""
        silent.set()
        with suppress(Exception):
            number = connection.connection.dbapi_connection.fileno()  # type: ignore[union-attr]
            with socket.socket(fileno=os.dup(number)) as line:
                line.shutdown(socket.SHUT_RDWR)

    def _reason(self, error: BaseException) -> str:
        """The driver's own words on one line, without the password should a driver repeat it."""
        words = " ".join(str(getattr(error, "orig", None) or error).split())
        secret = self.url.password
        return (words.replace(str(secret), "…") if secret else words)[:400]

    def close(self) -> None:
        """Close the connection for good."""
        with self._lock, suppress(SQLAlchemyError):
            if self._connection is not None:
                self._connection.invalidate()
                self._connection.close()
            self._connection = None


def plain(sql: str) -> str:
    """A query without parameters: colons before words are kept from being read as one."""
    return re.sub(r"(?<![:\w\\]):(?=\w)", r"\\:", sql)
