"""Pages that statements ask for, one after the other: what a cache curve is made from.

Objects are asked for as often as the load of the moment says, pages of one by its Zipf popularity; scans run through theirs in order.
"""

from __future__ import annotations

import numpy as np
import polars as pl

from practice_fleet.conditions import State
from practice_fleet.history import History

MOST_ASKS = 2_000_000
RUN = 64  # pages of a scan that come one after the other


def page_trace(history: History, at_us: int, asks: int) -> pl.DataFrame:
    """So many requests of the minute: ``object``, ``page`` (from 0 on, the most popular first) and ``in_order`` for a scan's."""
    block = history.at(at_us)
    state, random = block.state, history.server.draws(900, at_us)
    rates = {key: float(block.calls[number, 0]) for number, key in enumerate(block.keys)}
    at_random, in_order = _asked_for(state, rates, "random"), _asked_for(state, rates, "stream")
    names = [*at_random, *in_order]
    weights = np.array([*at_random.values(), *(pages / RUN for pages in in_order.values())])
    if not weights.sum():
        return pl.DataFrame(schema={"object": pl.String, "page": pl.Int64, "in_order": pl.Boolean})
    draws = random.choice(len(names), size=asks, p=weights / weights.sum())
    lengths = np.where(draws < len(at_random), 1, RUN)
    last = int(np.searchsorted(np.cumsum(lengths), asks)) + 1
    draws, lengths = draws[:last], lengths[:last]
    pages = np.empty(len(draws), dtype=np.int64)
    for number, name in enumerate(names):
        here = draws == number
        whole = max(1, int(state.catalogue.pages_of(name)))
        if number < len(at_random):
            pages[here] = _popular(whole, state.catalogue.skew_of(name), random.random(int(here.sum())))
        else:
            pages[here] = (np.arange(int(here.sum())) * RUN + int(random.integers(0, whole))) % whole
    which = np.repeat(draws, lengths)
    starts = np.cumsum(lengths) - lengths
    place = np.repeat(pages, lengths) + np.arange(len(which)) - np.repeat(starts, lengths)
    size = np.array([max(1, int(state.catalogue.pages_of(name))) for name in names])[which]
    return pl.DataFrame(
        {"object": pl.Series(names).gather(which), "page": place % size, "in_order": which >= len(at_random)}
    ).head(asks)


def _asked_for(state: State, rates: dict[str, float], kind: str) -> dict[str, float]:
    """Pages per second by object."""
    found: dict[str, float] = {}
    for key, visit in state.visits.items():
        for name, pages in getattr(visit, kind).items():
            found[name] = found.get(name, 0.0) + pages * rates.get(key, 0.0)
    return {name: pages for name, pages in found.items() if pages > 0}


def _popular(pages: int, skew: float, uniform: np.ndarray) -> np.ndarray:
    """Pages by popularity: page k with weight (k + 1)^−skew, by inverting its continuous sum."""
    power = 1.0 - skew
    if abs(power) < 1e-9:
        found = (pages + 1.0) ** uniform
    else:
        found = (1 + uniform * ((pages + 1.0) ** power - 1)) ** (1 / power)
    return np.asarray(np.minimum(found.astype(np.int64) - 1, pages - 1))
