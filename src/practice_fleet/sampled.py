"""Which sessions are seen at each second of a block, what they wait for, and who keeps them waiting."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import polars as pl
from numpy.typing import NDArray

from practice_fleet.actor_frames import sample_rows, session_of, working
from practice_fleet.history import Block, History
from practice_fleet.physics.wait_events import EVENTS, LOCK, OBJECT, Limits

Whole = NDArray[np.int64]
NOBODY = 0


def sampled(history: History, block: Block) -> pl.DataFrame:
    """One row a second and session at work: counts follow the time spent in the minute at each wait event.

    Everything is drawn minute after minute, so what comes later changes nothing.
    """
    counting, placing, naming = (history.server.draws(20 + n, block.first_us) for n in range(3))
    counts = counting.poisson(np.moveaxis(block.seconds, -1, 0))
    minute, event, statement = np.nonzero(counts)
    repeat = counts[minute, event, statement]
    total = int(repeat.sum())
    idle = int(float(block.state.settings["max_sessions"]))
    actors = {actor.key: session_of(block.state, actor) for actor in block.state.actors}
    limit = max(2, idle - len(actors))
    second = np.repeat(minute, repeat) * 60 + placing.integers(0, 60, total)
    _pile_up(history, block, second, np.repeat(event, repeat), np.repeat(statement, repeat))
    order = np.argsort(second, kind="stable")
    order = order[_within(second[order], limit - 1)]
    total = len(order)
    second, event, statement = second[order], np.repeat(event, repeat)[order], np.repeat(statement, repeat)[order]
    session = _sessions(second, naming.integers(1, limit, total), limit)
    blocker = pl.Series("blocked_by", _blockers(block, second, event, statement, session, idle, actors), dtype=pl.Int64)
    seen = pl.DataFrame(
        {
            "at_us": block.first_us + second * 1_000_000,
            "session": session,
            "statement_key": pl.Series(block.keys, dtype=pl.String).gather(statement),
            "wait_event": pl.Series(EVENTS).gather(event),
            "blocked_by": blocker.replace(NOBODY, None),
        }
    )
    return pl.concat([seen, *(sample_rows(block, actor) for actor in working(block))], how="vertical_relaxed")


def _pile_up(history: History, block: Block, second: Whole, event: Whole, statement: Whole) -> None:
    """Place those that wait for a session that does nothing where they wait: while it holds, and ever more of them."""
    patience = Limits.of(block.state.settings).lock_timeout_s
    for number, name in enumerate(block.keys):
        hold = block.state.holds.get(name)
        here = np.flatnonzero((statement == number) & ((event == LOCK) | (event == OBJECT))) if hold else np.arange(0)
        if hold is None or not len(here):
            continue
        draws, minutes = history.server.draws(400 + number, block.first_us), second[here] // 60
        for minute in np.unique(minutes):
            moments = block.first_us / 1e6 + minute * 60 + np.arange(60) + 0.5
            share = np.cumsum(hold.waiting(hold.age_s(moments), patience))
            if share[-1] > 0:
                mine = here[minutes == minute]
                second[mine] = minute * 60 + np.searchsorted(share / share[-1], draws.uniform(size=len(mine)))


def _within(second: Whole, most: int) -> Whole:
    """Places of at most so many of each second; ``second`` ascends."""
    starts = np.flatnonzero(np.diff(second, prepend=-1))
    group = np.cumsum(np.diff(second, prepend=-1) != 0) - 1
    if not len(second):
        return np.arange(0)
    return np.flatnonzero(np.arange(len(second)) - starts[group] < most)


def _sessions(second: Whole, drawn: Whole, limit: int) -> Whole:
    """Session numbers below ``limit``, different within a second; the last number is kept for who idles."""
    starts = np.flatnonzero(np.diff(second, prepend=-1))
    group = np.cumsum(np.diff(second, prepend=-1) != 0) - 1
    rank = np.arange(len(second)) - starts[group]
    return np.asarray((rank + drawn[starts][group]) % (limit - 1) + 1)


def _blockers(
    block: Block, second: Whole, event: Whole, statement: Whole, session: Whole, idle: int, actors: Mapping[str, int]
) -> Whole:
    """For each row the ``idle`` session, one of the ``actors``, one that waits itself, or one at work; ``NOBODY`` for who does not
    wait, or waits for what no session keeps.
    """
    found = np.full(len(second), NOBODY)
    waits = (event == LOCK) | (event == OBJECT)
    if not waits.any():
        return found
    width, holds = len(block.keys), block.state.holds
    key = second * width + statement
    waiting, working = _First(key[waits], session[waits]), _First(key[~waits], session[~waits])
    for number, name in enumerate(block.keys):
        here = waits & (statement == number)
        hold = holds.get(name)
        if hold is None:
            others = waiting.of(key[here])
            others[others == session[here]] = NOBODY
            busy = working.of(key[here])
            found[here] = np.where(busy != NOBODY, busy, others)
        elif hold.behind in block.keys:
            before = waiting.of(second[here] * width + block.keys.index(str(hold.behind)))
            found[here] = np.where(before != NOBODY, before, idle)
        elif not hold.nobody:
            found[here] = idle if hold.by is None else actors.get(hold.by, NOBODY)
    return found


class _First:
    """The first session of each second and statement."""

    def __init__(self, keys: Whole, sessions: Whole) -> None:
        self.keys, first = np.unique(keys, return_index=True)
        self.sessions = sessions[first]

    def of(self, keys: Whole) -> Whole:
        at = np.searchsorted(self.keys, keys)
        inside = np.minimum(at, max(len(self.keys) - 1, 0))
        if not len(self.keys):
            return np.full(len(keys), NOBODY)
        return np.where(self.keys[inside] == keys, self.sessions[inside], NOBODY)
