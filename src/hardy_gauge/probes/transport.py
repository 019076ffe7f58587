"""HTTP to one server over a line that is kept, with one deadline for a whole answer, however it drips, and a largest size.

The standard library's client: of 200 servers asked each second the general ones take a core for themselves.
"""

from __future__ import annotations

import http.client
import io
import socket
import ssl
import time
from contextlib import suppress
from functools import cache
from threading import Lock
from typing import cast
from urllib.parse import quote, urlsplit

from hardy_gauge.probes.outbound import endpoint_of, policy

PLAIN = "/?&=%:,+@!$'()*;~[]"


class NoAnswer(Exception):
    """No answer came, or one that is not HTTP."""


class TooLate(NoAnswer):
    """The deadline passed; ``begun`` says whether a part of the answer had come by then."""

    def __init__(self, begun: bool) -> None:
        super().__init__("the deadline passed")
        self.begun = begun


class TooLarge(NoAnswer):
    """The answer is larger than was asked for."""


@cache
def _trusted(certificate: str) -> ssl.SSLContext:
    """Authorities as PEM, or the system's; read once: reading them takes longer than most answers."""
    return ssl.create_default_context(cadata=certificate or None)


class _Line:
    """A connected socket as ``http.client`` uses it. Whatever is sent or read has until ``deadline`` (monotonic).

    As with a socket's own files, it is closed for good when it and the answers that are read from it are.
    """

    def __init__(self, line: socket.socket) -> None:
        self.line, self.deadline = line, 0.0
        self.users = 1

    def wait(self) -> socket.socket:
        """The socket, for as long as there is left."""
        left = self.deadline - time.monotonic()
        if left <= 0:
            raise TimeoutError
        self.line.settimeout(left)
        return self.line

    def makefile(self, _: str) -> io.BufferedReader:
        self.users += 1
        return io.BufferedReader(_Answer(self))

    def sendall(self, data: bytes) -> None:
        self.wait().sendall(data)

    def close(self) -> None:
        self.users -= 1
        if self.users <= 0:
            self.line.close()


class _Answer(io.RawIOBase):
    """What comes over a line."""

    def __init__(self, line: _Line) -> None:
        self.line = line

    def readable(self) -> bool:
        return True

    def readinto(self, into: memoryview) -> int:  # type: ignore[override]
        return self.line.wait().recv_into(into)

    def close(self) -> None:
        if not self.closed:
            self.line.close()
        super().close()


class Transport:
    """Requests to the host of ``address``, one at a time. Redirects are answers like any other. ``certificate`` as PEM
    are the authorities that are trusted instead of the system's.
    """

    def __init__(self, address: str, certificate: str = "") -> None:
        self.address, self.certificate = address, certificate
        self._connection: http.client.HTTPConnection | None = None
        self._lock = Lock()

    def close(self) -> None:
        """Close the line; the next request opens another."""
        if self._connection is not None:
            self._connection.close()
            self._connection = None

    def ask(
        self, method: str, url: str, headers: dict[str, str], body: str | None, deadline_s: float, most_bytes: int
    ) -> tuple[int, bytes]:
        """Status and body of the answer; NoAnswer when there is none within the deadline."""
        deadline = time.monotonic() + deadline_s
        with self._lock:
            try:
                return self._ask(method, url, headers, body, deadline, most_bytes)
            except BaseException:
                self.close()
                raise

    def _ask(
        self, method: str, url: str, headers: dict[str, str], body: str | None, deadline: float, most_bytes: int
    ) -> tuple[int, bytes]:
        parts = urlsplit(url)
        target = quote(f"{parts.path or '/'}{'?' if parts.query else ''}{parts.query}", safe=PLAIN)
        answer = None
        try:
            kept = self._connection is not None and method == "GET"
            answer = self._begin(method, target, headers, body, deadline, kept)
            content = answer.read(most_bytes + 1)
        except TimeoutError:
            raise TooLate(begun=answer is not None) from None
        except (http.client.HTTPException, OSError, ValueError) as error:
            raise NoAnswer(self._plainly(error)) from error
        finally:
            if answer is not None:
                answer.close()
        if len(content) > most_bytes:
            raise TooLarge(f"larger than {most_bytes} bytes")
        if answer.will_close:
            self.close()
        return answer.status, content

    def _begin(
        self, method: str, target: str, headers: dict[str, str], body: str | None, deadline: float, kept: bool
    ) -> http.client.HTTPResponse:
        """Send, and read the head of the answer. A line that was kept may have been closed meanwhile; what only asks
        is asked again then.
        """
        if not kept:
            self.close()
            self._connection = self._connect(deadline)
        connection = self._connection
        assert connection is not None
        cast(_Line, cast(object, connection.sock)).deadline = deadline
        try:
            connection.request(method, target, body=None if body is None else body.encode(), headers=headers)
            return connection.getresponse()
        except (http.client.RemoteDisconnected, ConnectionError):
            if not kept:
                raise
            return self._begin(method, target, headers, body, deadline, kept=False)

    def _plainly(self, error: Exception) -> str:
        """What went wrong, in words for whoever gave the address."""
        there = urlsplit(self.address).netloc
        if isinstance(error, ssl.SSLCertVerificationError):
            return f"the certificate of {there} is not trusted: {error.verify_message}"
        if isinstance(error, socket.gaierror):
            return f"there is no host of the name in {there}"
        if isinstance(error, ConnectionRefusedError):
            return f"nothing listens at {there}"
        if isinstance(error, http.client.RemoteDisconnected | ConnectionError):
            return f"{there} closed the connection without an answer"
        if isinstance(error, OSError):
            return f"{there}: {(error.strerror or str(error)).lower()}"
        return f"{there} does not speak HTTP: {type(error).__name__}"

    def _connect(self, deadline: float) -> http.client.HTTPConnection:
        endpoint = endpoint_of(self.address)
        if endpoint is None:
            raise ValueError("not an address of HTTP")
        made = http.client.HTTPConnection(endpoint.host, endpoint.port)
        line = _line_to(policy().resolve(endpoint), endpoint.port, deadline)
        with suppress(OSError):
            line.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        try:
            if urlsplit(self.address).scheme == "https":
                line = _trusted(self.certificate).wrap_socket(line, server_hostname=endpoint.host)
            made.sock = cast(socket.socket, _Line(line))
        except BaseException:
            line.close()
            raise
        return made


def _line_to(addresses: list[str], port: int, deadline: float) -> socket.socket:
    """A connection to the first address that takes one."""
    for number, address in enumerate(addresses, 1):
        try:
            return socket.create_connection((address, port), timeout=max(0.001, deadline - time.monotonic()))
        except OSError:
            if number == len(addresses):
                raise
    raise ConnectionRefusedError
