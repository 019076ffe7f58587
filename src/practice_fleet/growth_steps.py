"""The steps in which an effect that grows is worked out: short ones at first, then one every six hours.

A server's state holds for a step, so that five weeks need few of them; its beginning is seen within minutes all the same.
"""

from __future__ import annotations

from bisect import bisect_right

MINUTE_US = 60_000_000
FIRST_ENDS = (10, 20, 30, 45, 60, 90, 120, 180, 240, 360)  # minutes
LATER = 360


def step_of(elapsed_us: int) -> int:
    """The number of the step that so much time lies in."""
    minutes = elapsed_us / MINUTE_US
    if minutes < FIRST_ENDS[-1]:
        return bisect_right(FIRST_ENDS, minutes)
    return len(FIRST_ENDS) + int((minutes - FIRST_ENDS[-1]) // LATER)


def _end(step: int) -> int:
    """Minutes from the beginning to the end of a step."""
    if step < 0:
        return 0
    return FIRST_ENDS[step] if step < len(FIRST_ENDS) else FIRST_ENDS[-1] + (step - len(FIRST_ENDS) + 1) * LATER


def hours_of(step: int) -> float:
    """Hours from the beginning to the middle of a step."""
    return (_end(step - 1) + _end(step)) / 120


def edges(start_us: int, since_us: int, until_us: int) -> list[int]:
    """Ends of steps within a span, for an effect that begins at ``start_us``."""
    first = step_of(max(0, since_us - start_us)) if until_us > start_us else 0
    found = []
    while (at := start_us + _end(first) * MINUTE_US) < until_us:
        found.append(at)
        first += 1
    return found
