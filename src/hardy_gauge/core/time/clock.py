"""The time of this machine."""

from __future__ import annotations

import time


def clock_us() -> int:
    """Now, in microseconds UTC."""
    return time.time_ns() // 1000
