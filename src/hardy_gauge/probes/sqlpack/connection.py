"""One connection to a watched server: read-only, in short statements, given up on when it hangs."""

from __future__ import annotations

import importlib
import os
import re
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Any

from sqlalchemy import URL, Connection, create_engine, make_url, text
from sqlalchemy.exc import ArgumentError, DBAPIError, NoSuchModuleError, SQLAlchemyError
from sqlalchemy.pool import NullPool

from hardy_gauge.probes.outbound import Credential, endpoint_of, policy
from hardy_gauge.probes.protocol import ProbeError
from hardy_gauge.probes.sqlpack.pack import Pack

MARK = "/* hardy-gauge */ "
PARAMETERS = {"host", "port", "sslmode"}
Row = dict[str, Any]


def parse(address: str) -> URL:
    """The address as a URL; ProbeError names what is wrong without repeating a password."""
    try:
        return make_url(address)
    except ArgumentError as error:
        raise ProbeError("the address is not a database URL such as postgresql+psycopg://host:5432/name") from error


class Line:
    """A connection that is opened when first needed, and again after it broke. One call at a time."""

    def __init__(self, url: URL, pack: Pack, deadline_s: float = 5.0, credential: Credential | None = None) -> None:
        if unknown := sorted(set(url.query) - PARAMETERS):
            raise ProbeError(f"'{unknown[0]}' cannot be given in an address; there are {', '.join(sorted(PARAMETERS))}")
        endpoint = endpoint_of(url.render_as_string(hide_password=False))
        assert endpoint is not None
        self.url, self.endpoint, self.pack, self.deadline_s = url, endpoint, pack, deadline_s
        self.credential = credential
        self._connection: Connection | None = None
        self._lock = threading.RLock()

    def _connected(self) -> Connection:
        addresses = policy().resolve(self.endpoint)
        bare = URL.create(self.url.drivername)
        try:
            with self._arguments()(self.url, self.endpoint, addresses, self.credential) as given:
                engine = create_engine(
                    bare, poolclass=NullPool, isolation_level="AUTOCOMMIT", connect_args=given, hide_parameters=True
                )
                return engine.connect()
        except (NoSuchModuleError, ModuleNotFoundError) as error:
            raise ProbeError(f"no driver for {self.url.drivername} is installed") from error
        except (SQLAlchemyError, UnicodeError, ValueError, OSError) as error:
            raise ProbeError(f"no connection: {self._reason(error)}") from error

    def _arguments(self) -> Any:
        """What the engine's own module says of how a connection is opened."""
        return importlib.import_module(f"hardy_gauge.probes.sqlpack.{self.pack.adapter}.connecting").arguments

    def _open(self) -> Connection:
        if self._connection is None or self._connection.closed:
            connection = self._connected()
            self._connection = connection
            with self._watched(connection):
                for statement in self.pack.connect:
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
        secret = self.credential.secret if self.credential else ""
        if "server does not support SSL" in words:
            words += "; an administrator can allow this account to be sent without encryption"
        return (words.replace(secret, "…") if secret else words)[:400]

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
