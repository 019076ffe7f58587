"""How full a server's volumes are, and when one is full: from then on nothing that needs room can be written.

Use is what there was, its usual growth, what grows in a trouble, and room that tables lost to dead rows.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from practice_fleet.conditions import State
from practice_fleet.physics.queueing import Array

if TYPE_CHECKING:
    from practice_fleet.server import PracticeServer

MINUTE_US = 60_000_000
HOUR_US = 60 * MINUTE_US
DAY_US = 24 * HOUR_US
DATA, LOG = "volume_used.data", "volume_used.log"


def used(server: PracticeServer, state: State, at_us: np.ndarray) -> dict[str, Array]:
    """Bytes used of each volume at moments at which the server has this state, at most what the volume holds."""
    host, added = state.hardware, server.levels(at_us)
    none = np.zeros(len(at_us))
    days = (at_us - server.anchor_us) / DAY_US
    data = host.data_volume.used + days * host.data_volume.growth_per_day + added.get(DATA, none)
    data = data + server.bytes_added(at_us) + _unkept(state, added.get("unkept_hours", none))
    log = added.get(LOG, none)
    if host.log_volume is None:
        return {DATA: np.clip(data + log, 0, host.data_volume.capacity)}
    log = host.log_volume.used + days * host.log_volume.growth_per_day + log
    return {DATA: np.clip(data, 0, host.data_volume.capacity), LOG: np.clip(log, 0, host.log_volume.capacity)}


def _unkept(state: State, hours: Array) -> Array:
    """What tables grew by since nothing is cleaned: it grows evenly, and the state knows it for one moment."""
    return state.now.unkept_bytes * hours / max(state.now.upkeep_off_hours, 1e-9)


class FullVolumes:
    """The spans in which a volume of a server is full, found day by day as far as they are asked for."""

    def __init__(self, server: PracticeServer) -> None:
        self.server = server
        self._start_over()

    def _start_over(self) -> None:
        self._known = len(self.server.influences)
        self._until = self.server.start_us
        self._flips: list[int] = []  # when it gets full, and when it no longer is, in turn

    def is_full(self, at_us: int) -> bool:
        self._look_until(at_us + 1)
        return sum(flip <= at_us for flip in self._flips) % 2 == 1

    def moments(self, until_us: int) -> list[int]:
        self._look_until(until_us)
        return list(self._flips)

    def _look_until(self, until_us: int) -> None:
        if self._known != len(self.server.influences):
            self._start_over()
        while self._until < until_us:
            hours = self._until + HOUR_US * np.arange(24)
            for hour in hours.tolist():
                if self._full(hour) != len(self._flips) % 2:
                    self._flips.append(self._flip(hour - HOUR_US, hour))
            self._until += DAY_US

    def _full(self, at_us: int) -> int:
        state = self.server.state_with_room(at_us)
        host = state.hardware
        capacity = {DATA: host.data_volume.capacity, LOG: host.log.capacity}
        there = used(self.server, state, np.array([at_us]))
        return int(any(float(value[0]) >= capacity[name] for name, value in there.items()))

    def _flip(self, before_us: int, after_us: int) -> int:
        """The minute in which it changes."""
        if before_us < self.server.start_us:
            return after_us
        now = len(self._flips) % 2
        while after_us - before_us > MINUTE_US:
            middle = (before_us + after_us) // 2 // MINUTE_US * MINUTE_US
            before_us, after_us = (middle, after_us) if self._full(middle) == now else (before_us, middle)
        return after_us
