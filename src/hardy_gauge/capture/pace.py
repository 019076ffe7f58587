"""What looking at a server costs, and how often it may be looked at: less often while it answers slowly."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")
# of the time between two looks, spent in looking
TOO_MUCH = 0.25
LITTLE = 0.08
WITHIN = 10
SLOWEST_S = 30.0


class Pace:
    """Times every call to one server. ``clock`` gives seconds."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self.clock = clock
        self.calls, self.seconds = 0, 0.0
        self.factor = 1
        self._looks: list[float] = []

    def timed(self, ask: Callable[[], T]) -> T:
        """Call and count; a failing call costs too."""
        began = self.clock()
        try:
            return ask()
        finally:
            self.calls += 1
            self.seconds += self.clock() - began

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
        """Calls and seconds since the last time this was asked."""
        found = {"capture_calls_made": float(self.calls), "capture_call_s": self.seconds}
        self.calls, self.seconds = 0, 0.0
        return found
