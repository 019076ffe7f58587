"""Volumes whose limit may be exceeded for a while: credit comes at the lasting limit and goes with what is asked for.

Common practice of rented storage: what is not used of the lasting limit is saved up to a full credit, and while there is credit a
higher limit holds.
"""

from __future__ import annotations

import numpy as np

from practice_fleet.physics.queueing import Array


def credit(asked_per_s: Array, lasting: float, burst: float, full: float, start: float) -> Array:
    """Operations of credit at the beginning of each minute, and at the end of the last, from what is asked for (1/s)."""
    levels = np.empty(len(asked_per_s) + 1)
    levels[0] = start
    for minute, asked in enumerate(asked_per_s):
        served = min(asked, burst if levels[minute] > 0 else lasting)
        levels[minute + 1] = min(full, max(0.0, levels[minute] + (lasting - served) * 60))
    return levels
