"""Changes of servers in words: each in one line, and what followed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from hardy_gauge.core.changes.followed import Effect, Shown
from hardy_gauge.core.changes.leading import distance, leading, shown_to_matter
from hardy_gauge.core.changes.sheet import ChangeRow
from hardy_gauge.core.figures import formatting
from hardy_gauge.core.narrative.comparison import times

CHANGED_FROM = " changed from "
NAMED = 3
UPKEEP = {"upkeep": "upkeep run on", "statistics": "statistics gathered of"}


def setting_words(name: str, before: str, after: str) -> str:
    """ "sort_memory changed from 4 MiB to 64 MiB"."""
    return f"{name}{CHANGED_FROM}{before} to {after}"


def value_words(value: object, unit: str | None) -> str:
    """A setting's value in the unit that a person would say."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, int | float):
        return formatting.binary_size(value) if unit == "B" and value >= 0 else formatting.figure(value, unit or "")
    return str(value)


def upkeep_words(what: Literal["upkeep", "statistics"], tables: Sequence[str]) -> str:
    """Of which tables; the first three by name."""
    more = len(tables) - NAMED
    named = ", ".join(tables[:NAMED]) + (f" and {more} more table{'s' * (more > 1)}" if more > 0 else "")
    return f"{UPKEEP[what]} {named}"


def plan_words(before_s: float | None, after_s: float | None) -> str:
    """ "another plan: 12 ms a call instead of 3 ms"."""
    if before_s is None or after_s is None:
        return "another plan"
    return f"another plan: {formatting.duration(after_s)} a call instead of {formatting.duration(before_s)}"


def new_statement_words() -> str:
    return "statement called for the first time"


def gone_statement_words() -> str:
    return "statement no longer called"


def members_words(before: int, after: int) -> str:
    """ "sees 4 members of its cluster instead of 5"."""
    return f"sees {formatting.counted(after, 'member')} of its cluster instead of {before}"


def job_words(calendar: str, clock: str, took_s: float, usual_s: float) -> str:
    """ "job of each day at 02:00 ran for 41 min, usually 40 min"."""
    return f"job of {calendar} at {clock} ran for {formatting.duration(took_s)}, usually {formatting.duration(usual_s)}"


def fact_words(what: str, before: str, after: str) -> str:
    """ "cores changed from 8 to 16"."""
    return f"{what}{CHANGED_FROM}{before} to {after}"


def followed_words(effects: Sequence[Effect], shown: Shown) -> str:
    """The figure that changed most, where one is shown: "time per call 2.3× (2.1× to 2.6×)"."""
    if shown != "shown":
        return shown
    ratios = [(one, one.ratio, one.low, one.high) for one in effects if one.shown == "shown"]
    one, ratio, low, high = max(ratios, key=lambda row: distance(row[1]))
    others = len(ratios) - 1
    more = f", and {formatting.counted(others, 'other figure')}" if others else ""
    return f"{one.title.lower()} {times(ratio or 0.0)} ({times(low or 0.0)} to {times(high or 0.0)}){more}"


def changes_sentence(scope: str, rows: Sequence[ChangeRow], found: int, filtered: bool) -> str:
    """How much changed, and after how much of it figures were different."""
    what = f"that {'is' if found <= 1 else 'are'} asked for " if filtered else ""
    if not found:
        return f"Nothing {what}changed on {scope} in this window, as far as it was recorded."
    shown, first = shown_to_matter(rows), leading(rows)
    told = f"{formatting.counted(found, 'change')} {what}on {scope}"
    if first is None:
        return f"{told}; after none of them is a difference of the server's figures shown."
    largest = rows[first]
    return (
        f"{told}; after {len(shown)} of them figures are different, most after {largest.title} on {largest.server} "
        f"at {formatting.clock(largest.at_us)}: {largest.words}."
    )
