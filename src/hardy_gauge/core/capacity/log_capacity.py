"""The log's capacity for a distance between checkpoints: what is written in that time at a busy hour, and half as much again.

Common practice: a larger log means fewer checkpoints; up to the size of the buffer cache is sensible; after a crash the log since the last
checkpoint is applied again.
"""

from __future__ import annotations

ROOM = 1.5


def capacity_for(log_bytes_per_s: float, distance_s: float) -> float:
    """Bytes."""
    return ROOM * log_bytes_per_s * distance_s


def distance_of(capacity_bytes: float, log_bytes_per_s: float) -> float:
    """Seconds between checkpoints that the log's size forces."""
    return capacity_bytes / log_bytes_per_s if log_bytes_per_s > 0 else float("inf")
