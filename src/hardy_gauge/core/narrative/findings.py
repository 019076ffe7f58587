"""A finding in one line, and what a diagnosis could not look at."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.figures.formatting import day_clock, share
from hardy_gauge.core.time.span import Span


def finding_words(finding: Finding, server: str, since_us: int, ended_us: int | None) -> str:
    """ "80% of the time of desk-a (78% to 81%), confidence 95%, since Thu 26 Nov 12:05". What costs no time yet names the server."""
    part = server
    if finding.share:
        part = f"{share(finding.share)} of the time of {server} ({share(finding.share_low)} to {share(finding.share_high)})"
    over = "" if ended_us is None else f", over since {day_clock(ended_us)}"
    return f"{part}, confidence {share(finding.confidence)}, since {day_clock(since_us)}{over}"


def nothing_words(unknown: Sequence[str]) -> str:
    """What is said where there is no finding: that nothing was found only of what was looked at."""
    if unknown:
        return "Of what could be looked at, nothing was found wrong in this window."
    return "No rule found anything wrong in this window."


def undiagnosed_words(first_us: int | None, focus: Span) -> str:
    """Empty where the focus was diagnosed; ``first_us`` is when diagnosing began."""
    if first_us is None:
        return "Not diagnosed yet; findings come within some minutes."
    if first_us > focus.until_us:
        return f"This time was not diagnosed; findings are looked for since {day_clock(first_us)}."
    return ""


def not_looked_words(causes: Sequence[str], why: str) -> str:
    """Which causes could not be looked for, and why."""
    named = ", ".join(cause.replace("_", " ") for cause in causes)
    return f"Not looked for: {named}, because {why}."
