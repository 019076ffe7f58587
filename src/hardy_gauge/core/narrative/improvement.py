"""Whether something is better since a change, in words."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.improvement import FEWEST, AfterBefore, Verdict
from hardy_gauge.core.figures.formatting import day_clock, figure
from hardy_gauge.core.narrative.comparison import times

ANSWERS: dict[Verdict, str] = {
    "better": "Yes",
    "a little better": "A little",
    "no difference shown": "Not shown",
    "worse": "No, it is worse",
}


def improvement_words(what: str, unit: str, known: AfterBefore, at_us: int, change: str) -> str:
    """ "Yes: since Fri 27 Nov 12:05 (index added), time per call is 0.5 ms instead of 17 ms, 0.03× (0.02× to 0.04×)." """
    figures = f"{figure(known.after, unit)} instead of {figure(known.before, unit)}"
    ratio = f"{times(known.ratio)} ({times(known.low)} to {times(known.high)})"
    return f"{ANSWERS[known.verdict]}: since {_since(at_us, change)}, {what} is {figures}, {ratio}."


def too_early_words(at_us: int, change: str, minutes: int) -> str:
    """ "Too early to say: 2 minutes since Fri 27 Nov 12:05 (index added) are recorded, 5 are needed." """
    return f"Too early to say: {minutes} minutes since {_since(at_us, change)} are recorded, {FEWEST} are needed."


def no_before_words(at_us: int, change: str) -> str:
    return f"Not known: of the time before {_since(at_us, change)}, less than {FEWEST} minutes with it are recorded."


def nothing_changed_words(server: str) -> str:
    return f"It goes on, and nothing that was changed on {server} since it began is known."


def open_end_words(at_us: int) -> str:
    return f"Not known: it was seen until {day_clock(at_us)}, where looking ended. Diagnose the time after it."


def no_figure_words(over_us: int | None, change: str) -> str:
    """Of a finding that costs no time: it is over, or goes on."""
    if over_us is not None:
        return f"Yes: it is no longer found since {_since(over_us, change)}."
    return f"Not yet: it is still found{f' after {change}' if change else ''}."


def _since(at_us: int, change: str) -> str:
    return day_clock(at_us) + (f" ({change})" if change else "")
