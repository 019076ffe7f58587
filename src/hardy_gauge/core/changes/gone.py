"""When something that came again and again stopped coming."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from hardy_gauge.core.time.span import MINUTE_US

FEWEST = 10  # minutes in which it came
LEAST_US = 30 * MINUTE_US
TIMES = 5  # its longest pause


def stopped_at(times_us: NDArray[np.int64], until_us: int) -> int | None:
    """The last of the minutes in which it came, ascending; None where it came seldom, or has not been away for half an hour and five
    times its longest pause by ``until_us``.
    """
    if len(times_us) < FEWEST:
        return None
    longest = max(int(np.diff(times_us).max()), MINUTE_US)
    away = until_us - int(times_us[-1])
    return int(times_us[-1]) if away >= max(LEAST_US, TIMES * longest) else None
