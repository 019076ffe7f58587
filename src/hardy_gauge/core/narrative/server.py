"""What the Server sheet says first: about the focus, not about now."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from hardy_gauge.core.figures.formatting import clock, day_clock, listed, share
from hardy_gauge.core.narrative.capture import FIRST_FIGURES
from hardy_gauge.core.narrative.comparison import times
from hardy_gauge.core.narrative.fleet import IDLE
from hardy_gauge.core.reference.shift import Shift
from hardy_gauge.core.time.span import Span

NAMED = 4


@dataclass(frozen=True)
class ServerFacts:
    """A server over the focus: mean active sessions with the usual band there, the shift that is on at its end, what it
    did in its last minutes, and the title of what is at the root of it, with its share of the time (empty where nothing asks for anything). ``ready_us`` is when a usual range stands, if none
    does, ``first_us`` when it was looked at first, ``job`` a sentence of a known job that took
    a part of its time.
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
    root: str
    root_share: float
    ready_us: int | None
    first_us: int | None
    capture_words: str
    job: str = ""


def server_sentence(facts: ServerFacts) -> str:
    """The answer to "what is with this server?" in one sentence."""
    name, now = facts.name, facts.following
    if facts.value is None and now and facts.first_us is not None and facts.first_us > facts.focus.since_us:
        return (
            f"{name} is looked at since {clock(facts.first_us)} and is mostly {facts.doing}; its calls and counters "
            f"{FIRST_FIGURES}."
        )
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
        return f"{text}.{_root_words(facts)}{facts.job}"
    if facts.value < IDLE:
        return f"{name} {'is' if now else 'was'} idle.{_root_words(facts)}{facts.job}"
    if not facts.low <= facts.value <= facts.high:
        side = "above" if facts.value > facts.high else "below"
        end = "it works as usual again" if now else "it worked as usual"
        return f"{name} was {side} usual over this window, at {times(facts.value / facts.centre)} usual on average; at its end {end}.{_root_words(facts)}{facts.job}"
    return f"{name} {'works' if now else 'worked'} as usual for this hour.{_root_words(facts)}{facts.job}"


def _root_words(facts: ServerFacts) -> str:
    """A sentence more, which names the root and what it takes."""
    if not facts.root:
        return ""
    takes = f": {share(facts.root_share)} of its time" if facts.root_share else ""
    return f" {facts.root}{takes}."


def silent_log_words(reported: bool) -> str:
    """What is said where no log message is shown; ``reported``: the server's log is read."""
    return "Nothing was logged." if reported else "This server does not report its log, so what it says is unknown."


def figures_sentence(server: str, unusual: Sequence[str], known: int, count: int, young: bool) -> str:
    """``unusual`` are titles of figures out of their usual range, of ``known`` that have one and ``count`` that are recorded;
    ``young``: the server is recorded since a moment ago.
    """
    if not count and young:
        return f"{server} is recorded since a moment ago; its figures {FIRST_FIGURES}."
    if not count:
        return f"No figures of {server} were recorded in this window."
    if not known:
        return f"{count} figures of {server} are recorded; nothing usual is known of them yet."
    rest = f"; of {count - known} nothing usual is known yet" if known < count else ""
    if not unusual:
        return f"None of {known} figures of {server} was out of its usual range{rest}."
    named = listed(unusual, NAMED)
    verb = "was" if len(unusual) == 1 else "were"
    return f"{len(unusual)} of {known} figures of {server} {verb} out of the usual range: {named}{rest}."


# what is most missed, by the ability that it needs
MISSED = {
    "statements": "its statements", "sessions": "what its sessions wait for", "executions": "single slow calls",
    "messages": "its log", "settings": "its settings", "schema": "its tables", "objects": "the work on its tables",
}  # fmt: skip


def lacking_words(abilities: Collection[str]) -> str:
    """What a server does not report; empty where it reports all that is most missed."""
    lacking = [words for ability, words in MISSED.items() if ability not in abilities]
    return f"It does not report {', '.join(lacking)}." if lacking else ""
