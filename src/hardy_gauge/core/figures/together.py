"""A figure of several servers as one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def together(rows: Array, ratio: bool) -> Array:
    """Minutes of several servers (servers, minutes) as one: summed, of a ratio their mean. NaN in minutes in which one is not recorded
    that is at other times: it would look like a fall.
    """
    known = rows[np.isfinite(rows).any(axis=1)]
    if not len(known):
        return np.full(rows.shape[1], np.nan)
    return np.asarray(known.mean(axis=0) if ratio else known.sum(axis=0))
