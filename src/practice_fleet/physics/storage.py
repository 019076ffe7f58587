"""A volume as a station: parallel channels, and the gate of its limits in front of them."""

from __future__ import annotations

from dataclasses import dataclass

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
