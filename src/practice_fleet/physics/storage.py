"""A volume as a station: parallel channels, and the gate of its limits in front of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from practice_fleet.physics.queueing import Array
from practice_fleet.scenario.hardware import VolumeSpec
from practice_fleet.scenario.units import PAGE_BYTES


@dataclass(frozen=True)
class Volume:
    """Service times of one volume. Every request first passes the gate, one after the other."""

    channels: int
    latency_s: float
    stream_bytes_per_s: float
    operation_gate_s: float
    byte_gate_s: float

    @classmethod
    def of(cls, spec: VolumeSpec) -> Volume:
        return cls(
            max(1, round(spec.channels * (1 - spec.neighbour_share))), spec.latency_s, float(spec.stream_bytes_per_s),
            1 / spec.operations_per_s_limit if spec.operations_per_s_limit else 0.0,
            1 / spec.bytes_per_s_limit if spec.bytes_per_s_limit else 0.0,
        )  # fmt: skip

    def gate_s(self, size: float = PAGE_BYTES) -> float:
        """Seconds that one request of ``size`` bytes holds the gate; 0 without limits."""
        return max(self.operation_gate_s, size * self.byte_gate_s)

    def chunk_s(self, pages: float) -> float:
        """Seconds of one request for ``pages`` pages in order: half a latency, then the stream."""
        return self.latency_s / 2 + pages * PAGE_BYTES / self.stream_bytes_per_s


@dataclass(frozen=True)
class Others:
    """What others than a server's statements ask of its data volume, by minute.

    ``requests`` per second, and the seconds per second that they keep the channels and the gate busy.
    """

    requests: Array
    channel_s: Array
    gate_s: Array

    @classmethod
    def none(cls, minutes: int) -> Others:
        return cls(*np.zeros((3, minutes)))

    @classmethod
    def of_pages(cls, pages: Array, volume: Volume) -> Others:
        """Single pages per second."""
        return cls(pages, pages * volume.latency_s, pages * volume.gate_s())

    def __add__(self, more: Others) -> Others:
        return Others(self.requests + more.requests, self.channel_s + more.channel_s, self.gate_s + more.gate_s)

    def cut(self, part: slice) -> Others:
        return Others(self.requests[part], self.channel_s[part], self.gate_s[part])

    def scaled(self, factor: Array) -> Others:
        return Others(self.requests * factor, self.channel_s * factor, self.gate_s * factor)

    def add_at(self, minute: int, more: Others) -> None:
        """Add what holds from a minute on for as many as ``more`` has."""
        part = slice(minute, minute + len(more.requests))
        for mine, its in ((self.requests, more.requests), (self.channel_s, more.channel_s), (self.gate_s, more.gate_s)):
            mine[part] += its
