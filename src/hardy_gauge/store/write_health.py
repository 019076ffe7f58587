"""Whether the store can be written, as the last writes went: what Fleet, tape, Storage, readiness and log say of it."""

from __future__ import annotations

import logging
import threading
import time
from dataclasses import dataclass

from sqlalchemy.exc import DBAPIError

log = logging.getLogger(__name__)
# the beginnings of SQLite's own words (sqlite.org/rescode.html), and what they mean to whoever has to mend it
MEANINGS = {
    "database or disk is full": "the disk is full", "attempt to write a readonly database": "the store is read-only",
    "disk I/O error": "the disk does not write", "unable to open database file": "the store cannot be opened",
    "database disk image is malformed": "the store's file is damaged", "database is locked": "another program holds the store",
}  # fmt: skip


@dataclass(frozen=True)
class WriteFailure:
    """Since when writes fail (UTC microseconds), and why."""

    since_us: int
    why: str


class WriteHealth:
    """Kept by ``Store``; for several threads."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self.failure: WriteFailure | None = None
        self.writes = self.acts = self.failures = 0
        self.write_s = 0.0

    def succeeded(self, took_s: float, by_somebody: bool = False) -> None:
        """A transaction was stored; ``by_somebody``: what a person or a program asked for, and not what was recorded."""
        with self._lock:
            self.writes, self.write_s = self.writes + 1, self.write_s + took_s
            over, self.failure = self.failure, None
            self.acts += by_somebody or over is not None  # that it can be written again is to be seen at once
        if over is not None:
            log.warning("the store can be written again; it could not since %s us: %s", over.since_us, over.why)

    def to_be_seen(self) -> None:
        """What was recorded is to be seen as soon as what a person changes, as that a server no longer answers."""
        with self._lock:
            self.acts += 1

    def failed(self, error: BaseException) -> None:
        """A transaction could not be stored; only what the database itself says counts."""
        original = str(getattr(error, "orig", ""))
        if not isinstance(error, DBAPIError) or not original.startswith(tuple(MEANINGS)):
            return
        why = next(words for beginning, words in MEANINGS.items() if original.startswith(beginning))
        with self._lock:
            self.failures += 1
            new = self.failure is None
            self.acts += new
            since = time.time_ns() // 1000 if self.failure is None else self.failure.since_us
            self.failure = WriteFailure(since, why)
        if new:
            log.error("the store cannot be written: %s (%s); nothing is recorded", why, original)
