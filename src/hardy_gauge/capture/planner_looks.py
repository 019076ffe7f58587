"""Reading what a server's planner knows: after its schema or its statistics changed, at most each hour, and each six hours anyway."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.capture.backoff import Backoff
from hardy_gauge.probes import protocol as p

HOUR_US = 3_600_000_000
SOONEST_US, LATEST_US, AGAIN_US = HOUR_US, 6 * HOUR_US, HOUR_US // 6


@dataclass
class PlannerLooks:
    """Of one server. ``known`` says whether the last try brought facts; a try that fails is made again ten minutes later."""

    probe: p.Probe
    backoff: Backoff
    known: bool = True
    _next_us: int = 0
    _latest_us: int = 0
    _kept: bool | None = None
    _changed: bool = False

    def look(self, changed: bool, keep_values: bool, now_us: int) -> p.PlannerFacts | None:
        """The facts where it is time for them; ``changed``: the schema or the statistics did since the last look. ProbeError where they
        cannot be had.
        """
        probe = self.probe
        if not isinstance(probe, p.KnowsPlanner):
            return None
        self._changed |= changed
        due = now_us >= self._latest_us or (self._changed and now_us >= self._next_us)
        if not due and keep_values == self._kept:
            return None
        self.known, self._kept = False, keep_values
        self._next_us = self._latest_us = now_us + AGAIN_US
        facts = self.backoff.timed(lambda: probe.planner_facts(keep_values))
        self.known, self._changed = True, False
        self._next_us, self._latest_us = now_us + SOONEST_US, now_us + LATEST_US
        return facts
