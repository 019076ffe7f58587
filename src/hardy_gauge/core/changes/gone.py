"""When something that came again and again stopped coming."""

from __future__ import annotations

from hardy_gauge.core.time.span import MINUTE_US

FEWEST = 10  # minutes in which it came
LEAST_US = 30 * MINUTE_US
TIMES = 5  # its longest pause


def stopped_at(minutes: int, longest_us: int, last_us: int, until_us: int) -> int | None:
    """The last of the minutes in which it came; None where it came seldom, or has not been away for half an hour and five times its
    longest pause by ``until_us``.
    """
    if minutes < FEWEST:
        return None
    return last_us if until_us - last_us >= max(LEAST_US, TIMES * max(longest_us, MINUTE_US)) else None
