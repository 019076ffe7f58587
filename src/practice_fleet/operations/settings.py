"""Settings changed, and restarts."""

from __future__ import annotations

from dataclasses import dataclass

from practice_fleet import growth_steps
from practice_fleet import settings as rules
from practice_fleet.conditions import Conditions
from practice_fleet.operations.base import Operation, led_from, whole_cluster
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.server import MINUTE_US, PracticeServer
from practice_fleet.troubles.base import Said

COLD_STEPS = 6


@dataclass
class SetSetting(Operation):
    """Change a setting; one that applies at a restart waits for the next.

    Upkeep switched off has an effect that grows. How plans are spread over workers is set on
    their coordinator for all of them.
    """

    name: str = ""
    value: rules.Value = 0
    effective_us: int | None = None

    def prepare(self, server: PracticeServer) -> None:
        self.value = rules.check(self.name, self.value)
        if server.side and self.name in rules.SPREADING:
            led_from(server, self.name)
        if rules.CATALOGUE[self.name].applies == "at once":
            self.effective_us = self.at_us

    def reaches(self, server: PracticeServer) -> list[PracticeServer]:
        return whole_cluster(server) if server.side and self.name in rules.SPREADING else [server]

    @property
    def _grows(self) -> bool:
        return (self.name, self.value) == ("upkeep_enabled", "off")

    def start_us(self, anchor_us: int) -> int:
        return self.at_us if self.effective_us is None else self.effective_us

    def is_on(self, at_us: int, anchor_us: int) -> bool:
        return self.effective_us is not None and at_us >= self.effective_us

    def stage(self, at_us: int, anchor_us: int) -> int:
        return growth_steps.step_of(at_us - self.start_us(anchor_us)) if self._grows else 0

    def hours(self, at_us: int, anchor_us: int) -> float:
        return growth_steps.hours_of(self.stage(at_us, anchor_us)) if self._grows else 0.0

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        start = self.start_us(anchor_us)
        return [start, *(growth_steps.edges(start, since_us, until_us) if self._grows else ())]

    def change(self, now: Conditions, hours: float) -> None:
        now.settings[self.name] = self.value
        if self._grows:
            now.upkeep_off_hours = hours

    def levels(self, hours: float) -> dict[str, float]:
        return {"unkept_hours": hours} if self._grows else {}

    def says(self, server: str) -> list[Said]:
        if self.effective_us is None:
            return [Said(0, "info", f"{self.name} will be {self.value} after the next restart")]
        return [Said(0, "info", f"{self.name} set to {self.value}", "setting", self.name)]


@dataclass
class Restart(Operation):
    """Restart the server: counters begin again, waiting settings take effect, and the cache is empty at first."""

    def prepare(self, server: PracticeServer) -> None:
        for influence in server.influences:
            if isinstance(influence, SetSetting) and influence.effective_us is None:
                influence.effective_us = self.at_us
        state = server.state(self.at_us)
        pages = float(state.settings["buffer_cache_bytes"]) / PAGE_BYTES
        per_s = sum(state.rates[key] * visit.pages_requested for key, visit in state.visits.items())
        self.fill_us = int(min(pages / max(per_s * 0.3, 1.0), 3600.0) * 1e6)
        self.warm = float(state.settings["cache_warm_fraction"])

    fill_us: int = 0
    warm: float = 0.0

    def end_us(self, anchor_us: int) -> int | None:
        return self.at_us + max(self.fill_us, MINUTE_US)

    def stage(self, at_us: int, anchor_us: int) -> int:
        return min(COLD_STEPS - 1, (at_us - self.at_us) * COLD_STEPS // max(self.fill_us, MINUTE_US))

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        step = max(self.fill_us, MINUTE_US) // COLD_STEPS
        return [self.at_us + step * number for number in range(COLD_STEPS + 1)]

    def change(self, now: Conditions, hours: float) -> None:
        filled = (1 + int(hours * 3.6e9 * COLD_STEPS / max(self.fill_us, MINUTE_US))) / COLD_STEPS
        cold = float(now.settings["buffer_cache_bytes"]) * min(1.0, max(filled, self.warm))
        now.cache_filled_bytes = min(now.cache_filled_bytes or cold, max(float(2**20), cold))
        if self.warm and filled <= 1 / COLD_STEPS:  # reading the old pages back is work of its own
            read_back = self.warm * float(now.settings["buffer_cache_bytes"]) / PAGE_BYTES
            now.background_pages_per_s += read_back / (max(self.fill_us, MINUTE_US) / COLD_STEPS / 1e6)

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", "server restarted", "software")]
