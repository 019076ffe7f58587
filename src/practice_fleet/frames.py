"""History as tables: a row a minute, a row a minute and statement, a row a session seen, a row an execution."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np
import polars as pl

from practice_fleet.actor_frames import execution_rows, holder_rows, idle_sessions, statement_rows, working
from practice_fleet.figures import PER_CALL, levels_of, metrics
from practice_fleet.history import Block, History
from practice_fleet.physics.wait_events import EVENTS
from practice_fleet.sampled import sampled
from practice_fleet.server import HOUR_US, MINUTE_US
from practice_fleet.slow import Slow, slow
from practice_fleet.spread_of_times import squares_s2


def statement_frame(history: History, since_us: int, until_us: int) -> pl.DataFrame:
    """One row a minute and statement that was called; times and counts are of the minute."""
    frames = []
    for block in history.blocks(since_us, until_us):
        shape = block.calls.shape
        called = (block.calls > 0).ravel()
        row = np.repeat(np.arange(len(block.keys)), shape[1])[called]
        plans = pl.Series([block.state.plan_keys[key] for key in block.keys], dtype=pl.String)
        data = {
            "at_us": np.broadcast_to(block.at_us, shape).ravel()[called],
            "statement_key": pl.Series(block.keys, dtype=pl.String).gather(row),
            "plan_key": plans.gather(row),
            "calls": block.calls.ravel()[called],
            "errors": block.errors.ravel()[called],
            "time_s": block.seconds.sum(axis=0).ravel()[called],
        }
        for name in PER_CALL:
            data[name] = (block.calls * block.per_call(name)).ravel()[called]
        data["squares_s2"] = squares_s2(block).ravel()[called]
        data |= {f"wait.{event}": block.seconds[i].ravel()[called] for i, event in enumerate(EVENTS)}
        frame = pl.DataFrame(data)
        frames += [frame, *(statement_rows(block, actor, frame.schema) for actor in working(block))]
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
    parts = (sampled(history, block) for block in _hours(history, since_us, until_us))
    return _together(parts, "at_us", since_us, until_us)


def holder_frame(history: History, since_us: int, until_us: int) -> pl.DataFrame:
    """Sessions that did nothing in an open transaction, at each second."""
    parts = (
        holder_rows(block, *idle) for block in history.blocks(since_us, until_us) for idle in idle_sessions(block.state)
    )
    return _together(parts, "at_us", since_us, until_us)


def execution_frame(history: History, since_us: int, until_us: int, threshold_s: float) -> pl.DataFrame:
    """Executions that ended in the span and took at least the threshold."""
    parts = (_executions(history, block, threshold_s) for block in _hours(history, since_us, until_us))
    return _together(parts, "ended_at_us", since_us, until_us)


def _executions(history: History, block: Block, threshold_s: float) -> pl.DataFrame:
    parts = [_of_statements(history, block, threshold_s)]
    parts += [execution_rows(block, actor, threshold_s) for actor in working(block)]
    kept = [part for part in parts if len(part)]
    return pl.concat(kept) if kept else pl.DataFrame()


def _of_statements(history: History, block: Block, threshold_s: float) -> pl.DataFrame:
    found = slow(history, block, threshold_s)
    if not len(found.ended_us):
        return pl.DataFrame()
    plans = [block.state.plan_keys[key] for key in block.keys]
    return pl.DataFrame(
        {
            "ended_at_us": found.ended_us,
            "duration_s": found.lasted_s,
            "statement_key": pl.Series("k", block.keys, dtype=pl.String).gather(found.which),
            "plan_key": pl.Series("p", plans, dtype=pl.String).gather(found.which),
        }
        | _met(history, block, found)
    )


def _met(history: History, block: Block, found: Slow) -> dict[str, np.ndarray]:
    """Rows and pages of each execution: whole numbers that differ from call to call by its value. A whole scan examines the same
    rows each time.
    """
    returning, reading = (history.server.draws(n, block.first_us) for n in (35, 36))
    scans = np.array([any(n.operation == "scan" for n in block.state.plans[key].walk()) for key in block.keys])[
        found.which
    ]
    mean = {name: block.per_call(name)[found.which, 0] for name in ("rows_returned", "rows_examined", "pages_read")}
    returned = returning.poisson(mean["rows_returned"] * found.rows).astype(float)
    returned = np.where(mean["rows_returned"] == 1, 1.0, returned)
    reads = reading.poisson(mean["pages_read"] * np.where(scans, 1.0, found.rows)).astype(float)
    examined = np.where(scans, mean["rows_examined"], np.round(mean["rows_examined"] * found.rows))
    return {"rows_returned": returned, "rows_examined": np.maximum(examined, returned), "pages_read": reads}
