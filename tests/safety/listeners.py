"""Servers that only listen: what was sent to them is kept."""

from __future__ import annotations

import socket
import struct
import threading
from collections.abc import Iterator
from contextlib import contextmanager


class Listener:
    """``answer`` gets what came on a connection, and gives what is sent back; None ends the connection."""

    def __init__(self) -> None:
        self.socket = socket.create_server(("127.0.0.1", 0))
        self.port = self.socket.getsockname()[1]
        self.received: list[bytes] = []
        threading.Thread(target=self._serve, daemon=True).start()

    def answer(self, received: bytes) -> bytes | None:
        return b"HTTP/1.1 404 Not Found\r\ncontent-length: 0\r\n\r\n"

    def _serve(self) -> None:
        while True:
            try:
                line, _ = self.socket.accept()
            except OSError:
                return
            threading.Thread(target=self._talk, args=(line,), daemon=True).start()

    def _talk(self, line: socket.socket) -> None:
        with line:
            line.settimeout(10)
            try:
                while received := line.recv(65536):
                    self.received.append(received)
                    answer = self.answer(received)
                    if answer is None:
                        return
                    line.sendall(answer)
            except OSError:
                return

    @property
    def everything(self) -> bytes:
        return b"".join(self.received)


class GreedyDatabase(Listener):
    """Speaks enough of PostgreSQL's protocol to say that it does not encrypt, and to ask for a clear-text password."""

    def answer(self, received: bytes) -> bytes | None:
        if received[4:8] == struct.pack("!I", 80877103):
            return b"N"
        return b"R" + struct.pack("!II", 8, 3) if received[:1] != b"p" else None


class FloodingDatabase(Listener):
    """Speaks PostgreSQL's protocol as far as is needed to sign in, and answers every query with rows without end."""

    def _talk(self, line: socket.socket) -> None:
        def message(kind: bytes, body: bytes) -> bytes:
            return kind + struct.pack("!I", len(body) + 4) + body

        with line:
            try:
                if line.recv(65536)[4:8] == struct.pack("!I", 80877103):
                    line.sendall(b"N")
                    line.recv(65536)
                line.sendall(
                    message(b"R", bytes(4)) + message(b"S", b"server_version\x0015.0\x00") + message(b"Z", b"I")
                )
                line.recv(65536)
                column = b"version\x00" + bytes(6) + struct.pack("!Ihih", 25, -1, -1, 0)
                line.sendall(message(b"T", struct.pack("!h", 1) + column))
                row = message(b"D", struct.pack("!hi", 1, 2**20) + b"1" * 2**20)
                while True:
                    line.sendall(row)
            except OSError:
                return


@contextmanager
def listening(kind: type[Listener] = Listener) -> Iterator[Listener]:
    made = kind()
    try:
        yield made
    finally:
        made.socket.close()
