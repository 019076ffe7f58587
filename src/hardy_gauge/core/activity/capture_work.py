"""What recording counts of itself."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass
class CaptureWork:
    """What the collector counts of itself: looks begun, looks left out because the last one was still going on, when it
    last began one (monotonic seconds), and servers that are recorded.
    """

    ticks: int = 0
    late: int = 0
    ticked_s: float = 0.0
    recorders: int = 0
    waiting: int = 0
