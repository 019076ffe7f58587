"""What a capture rule would leave out, in words."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import share

NOTHING = "Nothing was recorded on these servers in the last day, so what would be missed is not known."


def missed_sentence(time: float, calls: float, gone: int, every: int) -> str:
    """Shares of the last day's time and calls, and how many of all statements would not be recorded."""
    return (
        f"It would have missed {share(time)} of the time and {share(calls)} of the calls of the last day: frequent short "
        f"statements, {gone} of {every} of them altogether."
    )
