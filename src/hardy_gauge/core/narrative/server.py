"""What the Server sheet says first: about the focus, not about now."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from hardy_gauge.core.figures.formatting import clock, day_clock, share
from hardy_gauge.core.narrative.comparison import times
from hardy_gauge.core.narrative.fleet import IDLE
from hardy_gauge.core.reference.shift import Shift
from hardy_gauge.core.time.span import Span

NAMED = 4


@dataclass(frozen=True)
class ServerFacts:
    """A server over the focus: mean active sessions with the usual band there, the shift that is on at its end, what it
    did in its last minutes, and the share of the heaviest finding. ``ready_us`` is when a usual range stands, if none
    does.
    """

    name: str
    focus: Span
    following: bool
    value: float | None
    low: float | None
    centre: float | None
    high: float | None
    shift: Shift | None
    doing: str
    finding_share: float | None
    ready_us: int | None
    capture_words: str


def server_sentence(facts: ServerFacts) -> str:
    """The answer to "what is with this server?" in one sentence."""
    name, now = facts.name, facts.following
    if facts.value is None:
        return f"Nothing of {name} was recorded in this window: {facts.capture_words}." if now else (
            f"Nothing of {name} was recorded in this window."
        )  # fmt: skip
    if facts.centre is None or facts.low is None or facts.high is None:
        from_when = (
            f"; its usual range for this hour stands from {day_clock(facts.ready_us)} on" if facts.ready_us else ""
        )
        return (
            f"{name} {'is' if now else 'was'} mostly {facts.doing}; nothing usual is known of this hour yet{from_when}."
        )
    if facts.shift is not None:
        since = clock(facts.shift.since_us)
        text = f"{name} worked as usual until {since}; since then it {'is' if now else 'was'} at {times(facts.shift.ratio)} usual, {facts.doing}"
        if facts.finding_share is not None:
            text += f", and {share(facts.finding_share)} of its time {'goes' if now else 'went'} to one statement"
        return f"{text}."
    if facts.value < IDLE:
        return f"{name} {'is' if now else 'was'} idle."
    if not facts.low <= facts.value <= facts.high:
        side = "above" if facts.value > facts.high else "below"
        end = "it works as usual again" if now else "it worked as usual"
        return f"{name} was {side} usual over this window, at {times(facts.value / facts.centre)} usual on average; at its end {end}."
    return f"{name} {'works' if now else 'worked'} as usual for this hour."


def silent_log_words(reported: bool) -> str:
    """What is said where no log message is shown; ``reported``: the server's log is read."""
    return "Nothing was logged." if reported else "This server does not report its log, so what it says is unknown."


def figures_sentence(server: str, unusual: Sequence[str], count: int) -> str:
    """``unusual`` are titles of figures out of their usual range, of ``count`` that are recorded."""
    if not count:
        return f"No figures of {server} were recorded in this window."
    if not unusual:
        return f"None of the {count} figures of {server} was out of its usual range."
    named = ", ".join(unusual[:NAMED]) + (f" and {len(unusual) - NAMED} more" if len(unusual) > NAMED else "")
    return f"{len(unusual)} of {count} figures of {server} {'was' if len(unusual) == 1 else 'were'} out of the usual range: {named}."
