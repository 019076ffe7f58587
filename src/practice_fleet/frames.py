"""History as tables: a row a minute, a row a minute and statement, a row a session seen, a row an execution."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np
import polars as pl

from practice_fleet.figures import PER_CALL, levels_of, metrics
from practice_fleet.history import Block, History
from practice_fleet.physics.clock import EVENTS, LOCK, OBJECT
from practice_fleet.server import HOUR_US, MINUTE_US
from practice_fleet.slow import slow


def statement_frame(history: History, since_us: int, until_us: int) -> pl.DataFrame:
    """One row a minute and statement that was called; times and counts are of the minute."""
    frames = []
    for block in history.blocks(since_us, until_us):
        shape = block.calls.shape
        called = (block.calls > 0).ravel()
        row = np.repeat(np.arange(len(block.keys)), shape[1])[called]
        plans = pl.Series([block.state.plans[key].key() for key in block.keys], dtype=pl.String)
        data = {
            "at_us": np.broadcast_to(block.at_us, shape).ravel()[called],
            "statement_key": pl.Series(block.keys, dtype=pl.String).gather(row),
            "plan_key": plans.gather(row),
            "calls": block.calls.ravel()[called],
            "errors": np.round(block.calls * block.failed).ravel()[called],
            "time_s": block.seconds.sum(axis=0).ravel()[called],
        }
        for name in PER_CALL:
            data[name] = (block.calls * block.per_call(name)).ravel()[called]
        data |= {f"wait.{event}": block.seconds[i].ravel()[called] for i, event in enumerate(EVENTS)}
        frames.append(pl.DataFrame(data))
    return pl.concat(frames) if frames else pl.DataFrame()


def metric_frame(history: History, since_us: int, until_us: int) -> pl.DataFrame:
    """One row a minute: the neutral counters' increments in that minute, and levels at its start."""
    frames = []
    for block in history.blocks(since_us, until_us):
        if history.server.is_down(block.first_us):
            continue
        columns = {"at_us": block.at_us} | metrics(block)
        columns |= levels_of(history, block.state, block.at_us)
        frames.append(pl.DataFrame(columns))
    return pl.concat(frames, how="diagonal") if frames else pl.DataFrame()


def _hours(history: History, since_us: int, until_us: int) -> Iterator[Block]:
    """Whole hours of the blocks that the span touches: what is drawn is drawn by the hour, so that a span has the
    same samples and executions whatever it is a part of."""
    for hour in range(since_us // HOUR_US * HOUR_US, until_us, HOUR_US):
        for block in history.whole_blocks(hour, hour + HOUR_US):
            first, last = (
                max(0, min(block.minutes, (at - block.first_us) // MINUTE_US)) for at in (hour, hour + HOUR_US)
            )
            yield block.cut(first, last)


def _together(parts: Iterable[pl.DataFrame], time: str, since_us: int, until_us: int) -> pl.DataFrame:
    kept = [part for part in parts if len(part)]
    if not kept:
        return pl.DataFrame()
    return pl.concat(kept).filter(pl.col(time).is_between(since_us, until_us - 1)).sort(time, maintain_order=True)


def sample_frame(history: History, since_us: int, until_us: int) -> pl.DataFrame:
    """Sessions seen at each second: counts follow the time spent in the minute at each wait event."""
    parts = (_samples(history, block) for block in _hours(history, since_us, until_us))
    return _together(parts, "at_us", since_us, until_us)


def _samples(history: History, block: Block) -> pl.DataFrame:
    rng = np.random.default_rng([history.server.seed, 2, block.first_us // MINUTE_US])
    counts = rng.poisson(np.moveaxis(block.seconds, -1, 0))
    minute, event, statement = np.nonzero(counts)
    repeat = counts[minute, event, statement]
    total = int(repeat.sum())
    limit = max(2, int(float(block.state.settings["max_sessions"])))
    second = np.repeat(minute, repeat) * 60 + rng.integers(0, 60, total)
    frame = pl.DataFrame(
        {"at_us": block.first_us + second * 1_000_000, "event": np.repeat(event, repeat),
         "statement": np.repeat(statement, repeat), "session": rng.integers(1, limit, total)}
    ).sort("at_us", maintain_order=True)  # fmt: skip
    # rank among the samples of one second, so that no session is in two places at once; the last is kept for who idles
    turn = pl.int_range(pl.len()).over("at_us") + pl.col("session").first().over("at_us")
    frame = frame.with_columns((turn % (limit - 1) + 1).cast(pl.Int64).alias("session"))
    return _blocked(block, frame, limit).select(
        "at_us",
        "session",
        pl.Series("statement_key", block.keys, dtype=pl.String).gather(frame["statement"]).alias("statement_key"),
        pl.Series("wait_event", EVENTS).gather(frame["event"]).alias("wait_event"),
        "blocked_by",
    )


def _blocked(block: Block, frame: pl.DataFrame, idle: int) -> pl.DataFrame:
    """Who keeps whom waiting, second by second: the ``idle`` session, one that waits itself, or one at work."""
    holds = block.state.holds
    if not frame["event"].is_in([LOCK, OBJECT]).any():
        return frame.with_columns(pl.lit(None, dtype=pl.Int64).alias("blocked_by"))
    waits = pl.col("event").is_in([LOCK, OBJECT])
    seen = frame.group_by("at_us", "statement").agg(
        pl.col("session").filter(waits).first().alias("waiting"),
        pl.col("session").filter(~waits).first().alias("working"),
    )
    before = {
        n: block.keys.index(h.behind)
        for n, k in enumerate(block.keys)
        if (h := holds.get(k)) and h.behind in block.keys
    }
    whose = pl.col("statement").replace_strict(before, default=pl.col("statement"), return_dtype=pl.Int64)
    held = pl.col("statement").is_in([n for n, key in enumerate(block.keys) if key in holds])
    joined = frame.with_columns(whose.alias("whose")).join(
        seen, left_on=["at_us", "whose"], right_on=["at_us", "statement"], how="left", maintain_order="left"
    )
    other = pl.coalesce("working", pl.when(pl.col("waiting") != pl.col("session")).then("waiting"))
    chained = pl.when(pl.col("whose") != pl.col("statement")).then(pl.coalesce("waiting", pl.lit(idle))).otherwise(idle)
    return joined.with_columns(
        pl.when(waits & held).then(chained).when(waits).then(other).cast(pl.Int64).alias("blocked_by")
    )


def execution_frame(history: History, since_us: int, until_us: int, threshold_s: float) -> pl.DataFrame:
    """Executions that ended in the span and took at least the threshold."""
    parts = (_executions(history, block, threshold_s) for block in _hours(history, since_us, until_us))
    return _together(parts, "ended_at_us", since_us, until_us)


def _executions(history: History, block: Block, threshold_s: float) -> pl.DataFrame:
    rng = np.random.default_rng([history.server.seed, 3, block.first_us // MINUTE_US])
    minute, which, lasted = slow(block, threshold_s, rng)
    if not len(minute):
        return pl.DataFrame()
    plans = [block.state.plans[key].key() for key in block.keys]
    frame = pl.DataFrame(
        {
            "ended_at_us": block.first_us + minute * MINUTE_US + rng.integers(0, MINUTE_US, which.size),
            "duration_s": lasted,
            "statement_key": pl.Series("k", block.keys, dtype=pl.String).gather(which),
            "plan_key": pl.Series("p", plans, dtype=pl.String).gather(which),
        }
    )
    for name in ("rows_returned", "rows_examined", "pages_read"):
        frame = frame.with_columns(pl.Series(name, block.per_call(name)[:, 0][which]))
    return frame
