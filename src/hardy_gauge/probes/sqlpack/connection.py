"""One connection to a watched server: read-only, in short statements, given up on when it hangs."""

from __future__ import annotations

import importlib
import os
import socket
import struct
import threading
import time
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
MOST_BYTES = 64 * 2**20
WATCH_S = 0.05
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
        opened: list[int] = []

        def connect() -> Any:
            made = engine.dialect.loaded_dbapi.connect(**given)
            opened.append(made.fileno())
            return made

        try:
            with self._arguments()(self.url, self.endpoint, addresses, self.credential) as given:
                engine = create_engine(
                    URL.create(self.url.drivername), poolclass=NullPool, isolation_level="AUTOCOMMIT", creator=connect,
                    hide_parameters=True,
                )  # fmt: skip
                with self._watched(opened):
                    return engine.connect()
        except (NoSuchModuleError, ModuleNotFoundError) as error:
            raise ProbeError(f"no driver for {self.url.drivername} is installed") from error
        except (UnicodeError, ValueError, OSError) as error:
            raise ProbeError(f"no connection: {self._reason(error)}") from error
        except ProbeError as error:
            raise ProbeError(f"no connection: {error}") from error

    def _arguments(self) -> Any:
        """What the engine's own module says of how a connection is opened."""
        return importlib.import_module(f"hardy_gauge.probes.sqlpack.{self.pack.adapter}.connecting").arguments

    def _open(self) -> Connection:
        if self._connection is None or self._connection.closed:
            connection = self._connected()
            self._connection = connection
            with self._watched(_descriptor(connection)):
                for statement in self.pack.connect:
                    connection.exec_driver_sql(MARK + statement)
        return self._connection

    @contextmanager
    def session(self) -> Iterator[Connection]:
        """The connection, for several statements in a row; it is dropped after a failure."""
        with self._lock:
            connection = self._open()
            with self._watched(_descriptor(connection)):
                yield connection

    def rows(self, sql: str, **parameters: Any) -> list[Row]:
        """Rows of one query by column name; ``:name`` in it is a parameter."""
        with self.session() as connection:
            found = connection.execute(text(MARK + sql), parameters)
            return [dict(row) for row in found.mappings()]

    @contextmanager
    def _watched(self, opened: list[int]) -> Iterator[None]:
        """Turn failures into ProbeError; cut the line when it stays silent for longer than the deadline, or when more comes
        over it than an answer may be. ``opened`` has the line's descriptor as soon as there is one.
        """
        over = threading.Event()
        cut: list[str] = []
        watch = threading.Thread(target=self._watch, args=[opened, over, cut], daemon=True)
        watch.start()
        try:
            yield
        except DBAPIError as error:
            if cut:
                self.close()
                raise ProbeError(cut[0]) from error
            if error.connection_invalidated:
                self.close()
            raise ProbeError(self._reason(error)) from error
        except SQLAlchemyError as error:
            self.close()
            raise ProbeError(self._reason(error)) from error
        finally:
            over.set()

    def _watch(self, opened: list[int], over: threading.Event, cut: list[str]) -> None:
        """Shut the socket under a driver that has one, so that whoever waits for it fails."""
        ends = time.monotonic() + self.deadline_s * 1.5
        before = _received(opened[0]) if opened else 0
        while not over.wait(WATCH_S):
            if not opened:
                continue
            if time.monotonic() > ends:
                cut.append(f"no answer within {self.deadline_s * 1.5:g} s")
            elif _received(opened[0]) - before > MOST_BYTES:
                cut.append(f"an answer is larger than {MOST_BYTES:,} bytes")
            else:
                continue
            with suppress(Exception), socket.socket(fileno=os.dup(opened[0])) as line:
                line.shutdown(socket.SHUT_RDWR)
            return

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


def _descriptor(connection: Connection) -> list[int]:
    """Of a driver that has one."""
    with suppress(Exception):
        return [connection.connection.dbapi_connection.fileno()]  # type: ignore[union-attr]
    return []


def _received(number: int) -> int:
    """Bytes that have come over a TCP socket since it was opened (tcpi_bytes_received of linux/tcp.h); 0 for others."""
    with suppress(OSError, ValueError, struct.error), socket.socket(fileno=os.dup(number)) as line:
        information = line.getsockopt(socket.IPPROTO_TCP, socket.TCP_INFO, 136)
        return int(struct.unpack_from("Q", information, 128)[0])
    return 0
