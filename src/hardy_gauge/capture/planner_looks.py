"""Reading what a server's planner knows: after its schema or its statistics changed, at most each hour, and each six hours anyway."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.capture.backoff import Backoff
from hardy_gauge.probes import protocol as p

HOUR_US = 3_600_000_000
SOONEST_US, LATEST_US = HOUR_US, 6 * HOUR_US


@dataclass
class PlannerLooks:
    """Of one server."""

    probe: p.Probe
    backoff: Backoff
    _read_us: int | None = None
    _kept: bool | None = None
    _changed: bool = False

    def look(self, changed: bool, keep_values: bool, now_us: int) -> p.PlannerFacts | None:
        """The facts where it is time for them; ``changed``: the schema or the statistics did since the last look."""
        if not isinstance(self.probe, p.KnowsPlanner):
            return None
        self._changed |= changed
        if self._read_us is not None and keep_values == self._kept:
            passed_us = now_us - self._read_us
            if passed_us < (SOONEST_US if self._changed else LATEST_US):
                return None
        self._read_us, self._kept, self._changed = now_us, keep_values, False
        probe = self.probe
        return self.backoff.timed(lambda: probe.planner_facts(keep_values))
