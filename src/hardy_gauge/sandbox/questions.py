"""The sandbox's side of its connection: questions come as JSON, answers go as JSON."""

from __future__ import annotations

import json
from collections.abc import Iterator
from multiprocessing.connection import Connection
from typing import Any


def questions(connection: Connection) -> Iterator[dict[str, Any]]:
    """What is asked, until the connection is closed."""
    while True:
        try:
            asked: dict[str, Any] = json.loads(connection.recv_bytes())
        except EOFError:
            return
        yield asked


def send_answer(connection: Connection, **answer: Any) -> None:
    """One answer."""
    connection.send_bytes(json.dumps(answer).encode())
