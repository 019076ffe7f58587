"""What is said of jobs that come back."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import counted, duration
from hardy_gauge.core.figures.formatting import share as formatted_share
from hardy_gauge.core.narrative.comparison import short
from hardy_gauge.core.reference.recurrence_sheet import JobRow

UNUSUAL = ("late", "missed the last time", "took longer than usual")


def recurrences_sentence(scope: str, jobs: Sequence[JobRow], looked_days: float) -> str:
    """How many jobs are known, and which was not as usual."""
    shown = [one for one in jobs if not one.dismissed]
    if not shown:
        return (
            f"No job that comes back was learnt on {scope} from {looked_days:.0f} days; weekly ones need three weeks."
        )
    odd = [one for one in shown if one.odd]
    told = f"{counted(len(shown), 'job')} on {scope} {'comes' if len(shown) == 1 else 'come'} back by the calendar"
    if not odd:
        longest = max(shown, key=lambda one: one.length_s * one.active_sessions)
        return f"{told}, and all ran as usual; the largest is {job_name(longest)}, {longest.words} at {longest.clock} for {duration(longest.length_s)}."
    return f"{told}; {job_name(odd[0])} of {odd[0].server}, {odd[0].words} at {odd[0].clock}, {state_words(odd[0])}."


def job_in_focus_words(one: JobRow, share: float, at_its_time: bool) -> str:
    """ "The monthly run is on, as each month": a sentence of a job that takes a part of a server's time."""
    name = job_name(one)
    came = f"as {one.words} at {one.clock}" if at_its_time else f"though it usually comes {one.words} at {one.clock}"
    return f" {name} ran, {came}: {formatted_share(share)} of its time."


def job_name(one: JobRow) -> str:
    return one.name or short(one.text)


def state_words(one: JobRow) -> str:
    if one.state == "late":
        return "is late"
    if one.state == "took longer than usual":
        return f"took {duration(one.last_s)} instead of {duration(one.length_s)}"
    return one.state
