"""When executions of open and recorded arrivals are due, and how many sessions serve them on a real server."""

from __future__ import annotations

import numpy as np

from hardy_gauge.core.narrative.trials import not_taken_up_words
from hardy_gauge.load.parts import ArrivalSpec

OPEN_SESSIONS = 16  # that serve open arrivals where no number of workers is stated


def due_times(arrival: ArrivalSpec, seconds: float, seed: int) -> list[float] | None:
    """Seconds after the start, in order, below ``seconds``: of a Poisson process for open arrivals, as stated for recorded ones; None of
    closed arrivals, where every worker follows itself. The same for a seed.
    """
    if arrival.kind == "recorded":
        return [one for one in arrival.times if one < seconds]
    if arrival.kind == "closed" or arrival.rate is None:
        return None
    draw, expected = np.random.default_rng(seed), arrival.rate * seconds
    gaps = draw.exponential(1 / arrival.rate, int(expected + 10 * expected**0.5 + 50))
    times = np.cumsum(gaps)
    return [float(one) for one in times[times < seconds]]


def sessions_of(arrival: ArrivalSpec) -> int:
    """How many serve it at once: the workers of closed arrivals, or as many as arrivals may find busy before they wait."""
    return arrival.workers or (1 if arrival.kind == "closed" else OPEN_SESSIONS)


def missed_of(arrival: ArrivalSpec, due: int, taken: int) -> list[str]:
    """A caution where the sessions did not come to all that was due in a run."""
    return [not_taken_up_words(due, due - taken, sessions_of(arrival))] if taken < due else []
