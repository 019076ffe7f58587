"""What is said of servers' logs."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import clock, counted
from hardy_gauge.core.log.sheet import Shape
from hardy_gauge.core.narrative.comparison import short


def log_sentence(
    scope: str, shapes: Sequence[Shape], severities: dict[str, int], reported: bool, narrowed: bool
) -> str:
    """How many errors and warnings, and which message came most often among the gravest."""
    if not reported:
        return f"No server of {scope} reports its log, so what it says is unknown."
    if not shapes:
        return f"The log of {scope} says nothing{' like this' if narrowed else ''} in this window."
    errors, warnings = severities.get("error", 0), severities.get("warning", 0)
    first = shapes[0]
    often = f"most often “{short(first.shape)}”, {first.count:,}×, last at {clock(first.last_us)}"
    where = f" on {first.servers[0]}" if len(first.servers) == 1 else f" on {counted(len(first.servers), 'server')}"
    if not errors and not warnings:
        return f"The log of {scope} has no errors and no warnings in this window; {often}{where}."
    return f"The log of {scope} has {counted(errors, 'error')} and {counted(warnings, 'warning')}; {often}{where}."
