"""Rows of the sessions that are followed one by one: as statements, samples, holders and executions."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import polars as pl

from practice_fleet.actors import Actor
from practice_fleet.conditions import State
from practice_fleet.history import Block
from practice_fleet.physics.locks import Hold
from practice_fleet.physics.queueing import Array
from practice_fleet.server import MINUTE_US

SECOND_US = 1_000_000
IDLE_AFTER_US = 200_000  # what it last did took so long


def session_of(state: State, actor: Actor) -> int:
    """Its session number: the highest ones below that of who idles in the applications' transactions."""
    place = next(number for number, one in enumerate(state.actors) if one.key == actor.key)
    return max(1, int(float(state.settings["max_sessions"])) - 1 - place)


def working(block: Block) -> list[Actor]:
    """Those of a block that do something."""
    return [actor for actor in block.state.actors if not actor.idles]


def seconds_on(block: Block, actor: Actor) -> Array:
    """Seconds of each minute in which it is on."""
    return actor.times.share(block.at_us / 1e6) * 60


def ends(block: Block, actor: Actor) -> Array:
    """How often its turn ends in each minute."""
    since = block.at_us / 1e6 - (actor.times.first_s or 0.0) - actor.times.lasts_s

    def before(t: Array) -> Array:
        return np.asarray(np.where(t > 0, np.ceil(t / actor.times.every_s), 0.0))

    return np.asarray(before(since + 60) - before(since))


def figures(block: Block, actor: Actor) -> dict[str, Array]:
    """What it counts in each minute as a statement: calls that end, time, and time by wait event."""
    spent = seconds_on(block, actor)
    return {"calls": ends(block, actor), "time_s": spent} | {
        f"wait.{event}": spent * share for event, share in actor.events.items()
    }


def statement_rows(block: Block, actor: Actor, columns: Mapping[str, pl.DataType]) -> pl.DataFrame:
    """Its rows of the statements' history, with the columns given; those it does not count are 0."""
    counted = figures(block, actor)
    kept = counted["time_s"] + counted["calls"] > 0
    data: dict[str, object] = {"at_us": block.at_us[kept], "statement_key": [actor.key] * int(kept.sum())}
    for name, kind in columns.items():
        if name not in data:
            none = pl.Series([None] * int(kept.sum()), dtype=kind)
            data[name] = none if name == "plan_key" else counted.get(name, np.zeros(block.minutes))[kept]
    return pl.DataFrame(data, schema=dict(columns))


def sample_rows(block: Block, actor: Actor) -> pl.DataFrame:
    """Its rows of the session samples: one at each second in which it is on."""
    first = -(-block.first_us // SECOND_US)
    moments = np.arange(first, -(-(block.first_us + block.minutes * MINUTE_US) // SECOND_US), dtype=np.int64)
    moments = moments[actor.times.age_s(moments) >= 0]
    shares = np.cumsum(list(actor.events.values()))
    # the golden ratio's multiples fall evenly, so that the shares hold over any span
    place = np.searchsorted(shares / shares[-1], moments * 0.6180339887498949 % 1.0)
    other = next((one for one in block.state.actors if one.key == actor.waits_for), None)
    events = [list(actor.events)[min(int(n), len(actor.events) - 1)] for n in place]
    return pl.DataFrame(
        {
            "at_us": moments * SECOND_US, "session": np.full(len(moments), session_of(block.state, actor)),
            "statement_key": pl.Series([actor.key] * len(moments), dtype=pl.String),
            "wait_event": pl.Series(events, dtype=pl.String),
            "blocked_by": pl.Series([session_of(block.state, other) if other else None] * len(moments), dtype=pl.Int64),
        }
    )  # fmt: skip


def idle_sessions(state: State) -> list[tuple[str, int, Hold]]:
    """Sessions that do nothing in a transaction: the statement that each ran last, its number, and when it is open."""
    last = int(float(state.settings["max_sessions"]))
    held = [
        (key, last, hold)
        for key, hold in state.holds.items()
        if hold.behind is None and hold.by is None and not hold.whole and not hold.nobody
    ]
    return held + [(a.key, session_of(state, a), a.times) for a in state.actors if a.idles]


def holder_rows(block: Block, key: str, session: int, open_: Hold) -> pl.DataFrame:
    """A session that does nothing, at each second in which its transaction is open."""
    first = -(-block.first_us // SECOND_US)
    moments = np.arange(first, -(-(block.first_us + block.minutes * MINUTE_US) // SECOND_US), dtype=np.int64)
    age = open_.age_s(moments)
    moments, age = moments[age >= 0], age[age >= 0]
    began = ((moments - age) * 1e6).astype(np.int64)
    return pl.DataFrame(
        {
            "at_us": moments * SECOND_US, "weight": np.ones(len(moments)), "session": np.full(len(moments), session),
            "statement_key": pl.Series([key] * len(moments), dtype=pl.String),
            "client": pl.Series(["local"] * len(moments), dtype=pl.String),
            "transaction_began_us": began, "idle_since_us": np.minimum(began + IDLE_AFTER_US, moments * SECOND_US),
        }
    )  # fmt: skip


def execution_rows(block: Block, actor: Actor, threshold_s: float) -> pl.DataFrame:
    """Its calls that end within the block and took at least the threshold."""
    times = actor.times
    if times.lasts_s < threshold_s:
        return pl.DataFrame()
    first = times.first_s or 0.0
    since, until = block.first_us / 1e6, block.first_us / 1e6 + block.minutes * 60
    number = max(0, int(np.ceil((since - first - times.lasts_s) / times.every_s)))
    found = []
    while (at := first + number * times.every_s + times.lasts_s) < until:
        if at >= since:
            found.append(int(at * 1e6))
        number += 1
    return pl.DataFrame(
        {
            "ended_at_us": pl.Series(found, dtype=pl.Int64), "duration_s": pl.Series([times.lasts_s] * len(found), dtype=pl.Float64),
            "statement_key": pl.Series([actor.key] * len(found), dtype=pl.String), "plan_key": pl.Series([None] * len(found), dtype=pl.String),
        }
        | {name: pl.Series([0.0] * len(found), dtype=pl.Float64) for name in ("rows_returned", "rows_examined", "pages_read")}
    )  # fmt: skip
