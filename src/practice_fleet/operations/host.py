"""Volumes grown, sessions ended."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.probes.protocol import Refused
from practice_fleet.conditions import Conditions
from practice_fleet.operations.base import Operation
from practice_fleet.server import MINUTE_US, PracticeServer
from practice_fleet.troubles.base import Said

MOVED_BYTES_PER_S = 60e6
SLOWER_WHILE_GROWING = 1.4


@dataclass
class EndSession(Operation):
    """End the session that others wait for; what they waited for is over."""

    session: int = 0

    def prepare(self, server: PracticeServer) -> None:
        now = server.conditions(self.at_us)
        holder = int(float(now.settings["max_sessions"]))
        if self.session != holder or not now.held:
            raise Refused(f"session {self.session} holds no one up", "session")

    def change(self, now: Conditions, hours: float) -> None:
        now.held.clear()

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", f"session {self.session} was ended by an administrator")]


@dataclass
class GrowVolume(Operation):
    """Make a volume larger: its contents are spread anew meanwhile, and that slows it."""

    volume: str = "data"
    capacity: int = 0
    done_us: int = 0

    def prepare(self, server: PracticeServer) -> None:
        host = server.state(self.at_us).hardware
        there = {"data": host.data_volume} | ({"log": host.log_volume} if host.log_volume else {})
        if self.volume not in there:
            raise Refused(f"no volume '{self.volume}'; there are: {', '.join(there)}", "volume")
        before = there[self.volume].capacity
        if self.capacity <= before:
            raise Refused(f"the volume has {before} bytes; it can only be made larger than that", "capacity_bytes")
        self.done_us = self.at_us + max(MINUTE_US, int((self.capacity - before) / MOVED_BYTES_PER_S * 1e6))

    def stage(self, at_us: int, anchor_us: int) -> int:
        return int(at_us >= self.done_us)

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        return [self.at_us, self.done_us]

    def change(self, now: Conditions, hours: float) -> None:
        slower = SLOWER_WHILE_GROWING if self.at_us + hours * 3.6e9 < self.done_us else 1.0
        volume, change = now.host.data_volume, now.change_data_volume
        if self.volume == "log":
            volume, change = now.host.log, now.change_log_volume
        change(capacity=self.capacity, latency_s=volume.latency_s * slower)

    def says(self, server: str) -> list[Said]:
        done = Said((self.done_us - self.at_us) / 1e6, "info", f"volume {self.volume} has its full speed again")
        return [Said(0, "info", f"volume {self.volume} grown to {self.capacity} bytes"), done]
