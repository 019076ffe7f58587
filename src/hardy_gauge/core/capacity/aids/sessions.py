"""How many sessions a server needs, by Little's law."""

from __future__ import annotations

from hardy_gauge.core.capacity.aid import Lacking, SizingAid
from hardy_gauge.core.capacity.known import Known
from hardy_gauge.core.capacity.queueing import longest_response_s, sessions_at_work
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.figures.formatting import duration, figure

TITLE = "Sessions"
NEAR = 0.85  # of the limit open at most: the next peak does not fit
ROOM = 1.3


def sessions_aid(known: Known) -> SizingAid | Lacking:
    """At work against open against the limit."""
    rate, response, open_ = (known.figures.get(name) for name in ("calls_per_s", "response_s", "sessions_open"))
    if rate is None or response is None or rate.high <= 0:
        return Lacking(TITLE, "calls a second and the time of a call are needed")
    at_work = sessions_at_work(rate.high, response.middle)
    limit = known.number("max_sessions")
    facts = [
        Fact("calls a second in 95 minutes of 100", rate.high, "/s", "figures"),
        Fact("time of a call, in the middle", response.middle, "s", "figures"),
        Fact("sessions at work then", at_work, "", "the formula"),
    ]
    said = f"Calls of a busy minute keep {figure(at_work, '')} sessions at work"
    if open_ is not None:
        facts.append(Fact("sessions open at most", open_.most, "", "figures", limit))
        said += f"; {figure(open_.most, '')} were open at most"
    remedy = None
    if limit is not None:
        facts.append(Fact("sessions that may be open", limit, "", "settings"))
        said += f", and {figure(limit, '')} may be. They would all be at work if a call took {duration(longest_response_s(limit, rate.high))}"
        if open_ is not None and open_.most > NEAR * limit:
            remedy = known.change(
                "max_sessions", ROOM * open_.most, "Allow more sessions", "Each may take memory: look at the budget of memory first; a pooler shares fewer among as many.",
                in_bytes=False,
            )  # fmt: skip
    return SizingAid(
        "sessions", TITLE, f"{said}.", facts, "sessions at work = calls a second × time of a call",
        "Little 1961", "setting/max_sessions",
        ["Sessions that are open and do nothing cost memory and no time; those that wait for one thing need that thing mended, not more sessions."],
        remedy,
    )  # fmt: skip
