"""What a practice server's sessions wait for, and the limits that their calls run against."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from practice_fleet.settings import Value

EVENTS = (
    "running", "run_queue", "page_read", "page_write", "temp_file", "swap_in", "log_flush", "log_full", "row_lock",
    "send_rows", "cache_latch", "exchange", "worker_wait", "object_lock",
)  # fmt: skip
RUNNING, QUEUE, READ, WRITE, TEMP, SWAP, FLUSH, FULL, LOCK, SEND, LATCH, EXCHANGE, WORKERS, OBJECT = range(len(EVENTS))
LATCH_S = 0.3e-6


@dataclass(frozen=True)
class Limits:
    """Settings that calls run against: sessions, latches of the buffer cache, patience (s; infinite is none), and how long
    a circle of waiting lasts before it is found (s)."""

    max_sessions: float
    cache_partitions: int = 8
    lock_timeout_s: float = float("inf")
    statement_timeout_s: float = float("inf")
    deadlock_check_s: float = 1.0

    @classmethod
    def of(cls, settings: Mapping[str, Value]) -> Limits:
        lock, statement = (float(settings[name]) or float("inf") for name in ("lock_timeout_s", "statement_timeout_s"))
        return cls(
            float(settings["max_sessions"]), int(float(settings["buffer_cache_partitions"])), min(lock, statement),
            statement, float(settings["deadlock_check_s"]),
        )  # fmt: skip
