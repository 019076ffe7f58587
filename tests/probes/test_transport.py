"""HTTP as the probes speak it, against servers that do what they should not: sockets that the test writes byte by byte."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress

import pytest

from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.protocol import ProbeError
from hardy_gauge.probes.transport import NoAnswer, TooLarge, TooLate, Transport

HEAD = b"HTTP/1.1 200 OK\r\ncontent-length: 2\r\n\r\n"


class Server:
    """Gives each connection to ``serve``, one after the other, and counts them."""

    def __init__(self, serve: Callable[[socket.socket], None]) -> None:
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.address = f"http://127.0.0.1:{self.listening.getsockname()[1]}"
        self.connections = 0
        self.serve = serve
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self) -> None:
        with suppress(OSError):
            while True:
                connection, _ = self.listening.accept()
                self.connections += 1
                with connection, suppress(OSError):
                    self.serve(connection)


@contextmanager
def serving(serve: Callable[[socket.socket], None]) -> Iterator[Server]:
    made = Server(serve)
    yield made
    made.listening.close()


def request(connection: socket.socket) -> bytes:
    """The head of the next request; empty at the end."""
    received = b""
    while b"\r\n\r\n" not in received:
        more = connection.recv(65536)
        if not more:
            return b""
        received += more
    return received


def ask(server: Server, transport: Transport | None = None, **more: float) -> tuple[int, bytes]:
    given = {"deadline_s": 10.0, "most_bytes": 1000} | more
    return (transport or Transport(server.address)).ask("GET", f"{server.address}/x", {}, None, **given)  # type: ignore[arg-type]


def drip(data: bytes) -> Callable[[socket.socket], None]:
    """After a head that has begun, a byte each 20 ms without an end."""

    def serve(connection: socket.socket) -> None:
        request(connection)
        connection.sendall(data)
        while True:
            connection.sendall(b"a")
            time.sleep(0.02)

    return serve


@pytest.mark.parametrize(
    ("head", "begun"), [(b"HTTP/1.1 200 OK\r\nx-", False), (b"HTTP/1.1 200 OK\r\ncontent-length: 999\r\n\r\n", True)]
)
def test_neither_a_head_nor_a_body_that_drips_outlasts_the_deadline(head: bytes, begun: bool) -> None:
    with serving(drip(head)) as server, pytest.raises(TooLate) as late:
        ask(server, deadline_s=0.4)
    assert late.value.begun == begun


def test_one_line_serves_many_requests_and_is_opened_again_when_it_was_closed() -> None:
    def serve(connection: socket.socket) -> None:
        for _ in range(3):
            if not request(connection):
                return
            connection.sendall(HEAD + b"ok")

    with serving(serve) as server:
        transport = Transport(server.address)
        assert [ask(server, transport) for _ in range(9)] == [(200, b"ok")] * 9
        transport.close()
        assert server.connections == 3


def test_what_is_sent_is_not_sent_twice() -> None:
    seen: list[bytes] = []

    def serve(connection: socket.socket) -> None:
        if (found := request(connection)) and found.startswith(b"GET"):
            connection.sendall(HEAD + b"ok")
            request(connection)
        else:
            seen.append(found)  # and no answer

    with serving(serve) as server:
        transport = Transport(server.address)
        assert ask(server, transport) == (200, b"ok")
        with pytest.raises(NoAnswer):
            transport.ask("POST", f"{server.address}/x", {}, "{}", 5.0, 100)
    assert [line.split(b"\r\n")[0] for line in seen] == [b"POST /x HTTP/1.1"]


@pytest.mark.parametrize("answer", [b"SSH-2.0-x\r\n", b"", b"HTTP/1.1 abc\r\n\r\n", b"\0" * 70_000, HEAD + b"o"])
def test_another_protocol_is_no_answer(answer: bytes) -> None:
    def serve(connection: socket.socket) -> None:
        request(connection)
        connection.sendall(answer)

    with serving(serve) as server:
        probe = HttpProbe(f"{server.address}/servers/a")
        with pytest.raises(ProbeError, match=r"identity|not the protocol"):
            probe.identity()


def test_chunks_closed_lines_and_sizes() -> None:
    answers = iter(
        [
            b"HTTP/1.1 200 OK\r\ntransfer-encoding: chunked\r\n\r\n3\r\nabc\r\n2\r\nde\r\n0\r\n\r\n",
            b"HTTP/1.0 200 OK\r\n\r\nuntil the end",
            b"HTTP/1.1 302 Found\r\nlocation: /y\r\ncontent-length: 0\r\n\r\n",
            b"HTTP/1.1 200 OK\r\ncontent-length: 1001\r\n\r\n" + b"x" * 1001,
        ]
    )

    def serve(connection: socket.socket) -> None:
        request(connection)
        connection.sendall(next(answers))

    with serving(serve) as server:
        transport = Transport(server.address)
        assert [ask(server, transport) for _ in range(3)] == [(200, b"abcde"), (200, b"until the end"), (302, b"")]
        with pytest.raises(TooLarge, match="1000"):
            ask(server, transport)
