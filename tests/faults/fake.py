"""A server that speaks the protocol and does what the test wants."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Lock, Thread

SECOND = 1_000_000
START = 1_795_435_200_000_000


class FakeServer:
    """Speaks the protocol for one server; ``spoil`` may replace any answer by bytes, a status, or a pause."""

    def __init__(self, name: str) -> None:
        self.name, self.now, self.calls, self.started = name, START, 1000.0, START - 10**9
        self.clock_off = 0
        self.extra: dict[str, Callable[[], object]] = {}
        self.stream: Callable[[], Iterable[bytes]] | None = None
        self.moving = Lock()
        self.spoil: Callable[[str], tuple[int, bytes] | None] = lambda path: None
        fake = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                what = self.path.split("?")[0].rsplit("/", 1)[-1]
                status, body = fake.spoil(what) or (200, fake.body(what))
                try:
                    self.send_response(status)
                    self.end_headers()
                    for chunk in fake.stream() if fake.stream else (body,):
                        self.wfile.write(chunk)
                except OSError:
                    pass

            def log_message(self, *_: object) -> None:
                pass

        self.http = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        Thread(target=self.http.serve_forever, daemon=True).start()
        self.address = f"http://127.0.0.1:{self.http.server_port}/servers/{name}"

    def body(self, what: str) -> bytes:
        with self.moving:
            return json.dumps(self.extra[what]() if what in self.extra else self.answer(what)).encode()

    def answer(self, what: str) -> object:
        at = self.now + self.clock_off
        life = {"at_us": at, "started_at_us": self.started}
        if what == "identity":
            abilities = ["counters", "statements", "sessions"]
            return {
                "server": self.name, "cluster": "c", "role": "single", "engine": "practice", "engine_version": "1",
                "started_at_us": self.started, "clock_us": at, "abilities": abilities,
            }  # fmt: skip
        if what == "host":
            return {"cores": 2, "memory_bytes": 1, "volumes": []}
        if what == "counters":
            return life | {"values": {"calls": self.calls, "time_s": self.calls / 100}}
        if what == "statements":
            row = {
                "key": "k", "text": "SELECT 1", "database": "d", "user": "u", "service": "s", "calls": self.calls,
                "time_s": self.calls / 100, "rows_returned": 1, "rows_examined": 1, "pages_requested": 1,
                "pages_read": 1, "log_bytes": 0, "wait_s": {"page_read": self.calls / 200},
            }  # fmt: skip
            return life | {"statements": [row]}
        session = {
            "session": 1,
            "user": "u",
            "service": "s",
            "database": "d",
            "statement_key": "k",
            "wait_event": "page_read",
        }
        return {"at_us": at, "sessions": [session]}
