"""What looking at a server costs, and how often it may be looked at: less often while it answers slowly."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Lock
from typing import TypeVar

T = TypeVar("T")
# of the time between two looks, spent in looking
TOO_MUCH = 0.25
LITTLE = 0.08
WITHIN = 10
SLOWEST_S = 30.0


class Backoff:
    """Times every call to one server. ``clock`` gives seconds."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self.clock = clock
        self.calls, self.seconds, self.core_s = 0, 0.0, 0.0
        self.factor = 1
        self._looks: list[float] = []
        self._counting = Lock()

    def timed(self, ask: Callable[[], T]) -> T:
        """Call and count; a failing call costs too."""
        began = self.clock()
        try:
            return ask()
        finally:
            self.calls += 1
            self.seconds += self.clock() - began

    @contextmanager
    def working(self) -> Iterator[None]:
        """Count the processor time that this thread takes meanwhile."""
        began = time.thread_time()
        try:
            yield
        finally:
            with self._counting:
                self.core_s += time.thread_time() - began

    def look(self, took_s: float, every_s: float) -> None:
        """After each look at the sessions: double the time between looks when the last ones took too much of it, and
        halve it again when they take little. The median decides, so that one slow answer does nothing.
        """
        self._looks = [*self._looks[-(WITHIN - 1) :], took_s]
        if len(self._looks) < WITHIN:
            return
        share = sorted(self._looks)[WITHIN // 2] / (every_s * self.factor)
        if share > TOO_MUCH and every_s * self.factor * 2 <= SLOWEST_S:
            self.factor *= 2
        elif share < LITTLE and self.factor > 1:
            self.factor //= 2
        else:
            return
        self._looks = []

    def taken(self) -> dict[str, float]:
        """Calls, the seconds waited for them, and of a core of ours, since the last time this was asked."""
        found = {
            "capture_calls_made": float(self.calls), "capture_call_s": self.seconds, "capture_core_s": self.core_s,
        }  # fmt: skip
        self.calls, self.seconds, self.core_s = 0, 0.0, 0.0
        return found
