"""A real PostgreSQL looked at by a collector whose clock is stepped, while sessions work on it."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import psycopg

from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.diagnose.worker import diagnose_server
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.database import Store

SECOND_US = 1_000_000
MINUTE_US = 60 * SECOND_US


class Looks:
    """Looks at a real server, and what is concluded from them."""

    def __init__(self, store: Store, collector: Collector) -> None:
        self.store, self.collector, self.now_us = store, collector, clock_us()
        (self.recorder,) = collector.recorders

    def minute(self) -> None:
        self.now_us += MINUTE_US
        self.recorder.look_again(self.now_us)
        assert self.recorder.error == "", self.recorder.error
        self.collector.write()

    def seconds(self, count: int, each_s: float = 0.1) -> None:
        for _ in range(count):
            time.sleep(each_s)
            self.now_us += SECOND_US
            self.recorder.tick(self.now_us)

    def findings(self) -> list[Finding]:
        self.collector.write()
        reader = Reader(self.store, lambda: self.now_us + SECOND_US)
        (server,) = servers_in(reader, "fleet")
        # the collector's clock is ahead of the server's here, for it is stepped
        return [one for one, _ in diagnose_server(reader, server).findings if one.cause != "clock_off"]


@contextmanager
def working(dsn: str, job: Callable[[psycopg.Connection], object], sessions: int) -> Iterator[None]:
    """So many sessions that do a job again and again."""
    over = threading.Event()

    def run() -> None:
        with psycopg.connect(dsn, application_name="desk", autocommit=True) as session:
            while not over.is_set():
                try:
                    job(session)
                except psycopg.Error:
                    session.rollback()

    threads = [threading.Thread(target=run) for _ in range(sessions)]
    for thread in threads:
        thread.start()
    try:
        yield
    finally:
        over.set()
        for thread in threads:
            thread.join(30)
