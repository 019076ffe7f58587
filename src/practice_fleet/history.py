"""What a practice server did in each minute: the same figures serve as history and as the live feed.

Every minute is drawn from a generator seeded by server and minute, so a figure does not depend on when
or with which neighbours it is asked for.
"""

from __future__ import annotations

import itertools
from collections import OrderedDict
from dataclasses import dataclass

import numpy as np
import polars as pl
from scipy.special import gammaincc, gammainccinv

from practice_fleet.clock import DIRTY_COALESCED, EVENTS, Minutes, solve
from practice_fleet.queueing import Array
from practice_fleet.scenario import PAGE_BYTES
from practice_fleet.server import DAY_US, HOUR_US, MINUTE_US, PracticeServer, State

KEPT_HOURS = 26


@dataclass(frozen=True)
class Block:
    """Minutes ``[first_us, first_us + minutes)`` of one server; arrays (statements, minutes)."""

    first_us: int
    keys: list[str]
    state: State
    model: Minutes
    calls: Array
    seconds: Array  # (events, statements, minutes), totals of the minute

    @property
    def minutes(self) -> int:
        return int(self.calls.shape[1])

    def per_call(self, name: str) -> Array:
        return np.array([float(getattr(self.state.visits[key], name)) for key in self.keys])[:, None]


class History:
    """Figures of one server by minute; recent hours are kept."""

    def __init__(self, server: PracticeServer) -> None:
        self.server = server
        self._hours: OrderedDict[int, list[Block]] = OrderedDict()

    def blocks(self, since_us: int, until_us: int) -> list[Block]:
        """Whole minutes within the span, cut where the server's state changes, by hours."""
        found = []
        hour = since_us // HOUR_US * HOUR_US
        while hour < until_us:
            for block in self._hour(hour):
                first = max(0, -(-(since_us - block.first_us) // MINUTE_US))
                last = min(block.minutes, (until_us - block.first_us) // MINUTE_US)
                if first < last:
                    found.append(_cut(block, int(first), int(last)))
            hour += HOUR_US
        return found

    def _hour(self, hour_us: int) -> list[Block]:
        if hour_us not in self._hours:
            starts = hour_us + np.arange(60) * MINUTE_US
            gone = [self.server.dropped(int(at)) for at in starts]
            cuts = [0, *[i for i in range(1, 60) if gone[i] != gone[i - 1]], 60]
            self._hours[hour_us] = [self._make(int(starts[a]), b - a) for a, b in itertools.pairwise(cuts)]
            while len(self._hours) > KEPT_HOURS:
                self._hours.popitem(last=False)
        return self._hours[hour_us]

    def _make(self, first_us: int, minutes: int) -> Block:
        server = self.server
        state = server.state(first_us)
        keys = list(server.statements)
        sessions = float(server.settings["max_sessions"])
        model = solve(server.offered(first_us, minutes), [state.visits[k] for k in keys], server.cluster.host, sessions)
        calls = np.zeros(model.rate.shape)
        noise = np.zeros(model.seconds.shape)
        for m in range(minutes):
            rng = np.random.default_rng([server.seed, 1, (first_us + m * MINUTE_US) // MINUTE_US])
            calls[:, m] = rng.poisson(model.rate[:, m] * 60)
            noise[:, :, m] = rng.standard_normal((len(EVENTS), len(keys)))
        spread = np.sqrt(model.variance) / np.maximum(model.response, 1e-12) / np.sqrt(np.maximum(calls, 1))
        factor = np.clip(1 + noise * spread, 0.2, 3)
        factor[0] = 1  # work done does not vary with the queues
        return Block(first_us, keys, state, model, calls, model.seconds * factor * calls)

    # frames ---------------------------------------------------------------------------------------

    def statement_frame(self, since_us: int, until_us: int) -> pl.DataFrame:
        """One row a minute and statement that was called; times and counts are of the minute."""
        frames = []
        for block in self.blocks(since_us, until_us):
            at, shape = _minute_column(block), block.calls.shape
            row = np.repeat(np.arange(len(block.keys)), shape[1])
            plans = pl.Series([block.state.plans[key].key() for key in block.keys], dtype=pl.String)
            data = {
                "at_us": np.broadcast_to(at, shape).ravel(),
                "statement_key": pl.Series(block.keys, dtype=pl.String).gather(row),
                "plan_key": plans.gather(row),
                "calls": block.calls.ravel(),
                "time_s": block.seconds.sum(axis=0).ravel(),
            }
            for name in ("rows_returned", "rows_examined", "pages_requested", "pages_read", "log_bytes"):
                data[name] = (block.calls * block.per_call(name)).ravel()
            data |= {f"wait.{event}": block.seconds[i].ravel() for i, event in enumerate(EVENTS)}
            frames.append(pl.DataFrame(data).filter(pl.col("calls") > 0))
        return pl.concat(frames) if frames else pl.DataFrame()

    def metric_frame(self, since_us: int, until_us: int) -> pl.DataFrame:
        """One row a minute; columns are the neutral counters' increments in that minute."""
        frames = []
        for block in self.blocks(since_us, until_us):
            at = _minute_column(block)
            used = {"volume_used.data": [float(used_bytes(self.server, int(t))) for t in at]}
            frames.append(pl.DataFrame({"at_us": at} | metrics(block) | used))
        return pl.concat(frames) if frames else pl.DataFrame()

    def sample_frame(self, since_us: int, until_us: int) -> pl.DataFrame:
        """Sessions seen at each second: counts follow the time spent in the minute at each wait event."""
        columns: dict[str, list[np.ndarray]] = {"at_us": [], "statement": [], "event": [], "session": []}
        keys: list[str] = list(self.server.statements)
        for block in self.blocks(since_us, until_us):
            for m in range(block.minutes):
                minute = block.first_us + m * MINUTE_US
                rng = np.random.default_rng([self.server.seed, 2, minute // MINUTE_US])
                counts = rng.poisson(block.seconds[:, :, m])
                event, statement = np.nonzero(counts)
                repeat = counts[event, statement]
                total = int(repeat.sum())
                columns["at_us"].append(minute + rng.integers(0, 60, total) * 1_000_000)
                columns["event"].append(np.repeat(event, repeat))
                columns["statement"].append(np.repeat(statement, repeat))
                columns["session"].append(rng.integers(1, int(self.server.settings["max_sessions"]) + 1, total))
        if not columns["at_us"]:
            return pl.DataFrame()
        flat = {name: np.concatenate(parts) for name, parts in columns.items()}
        # rank among the samples of one second, so that no session is in two places at once
        frame = pl.DataFrame(flat).sort("at_us")
        limit = int(self.server.settings["max_sessions"])
        turn = pl.int_range(pl.len()).over("at_us") + pl.col("session").first().over("at_us")
        statements = pl.Series("statement_key", keys)
        return frame.select(
            "at_us",
            (turn % limit + 1).cast(pl.Int64).alias("session"),
            statements.gather(frame["statement"]).alias("statement_key"),
            pl.Series("wait_event", EVENTS).gather(frame["event"]).alias("wait_event"),
        )

    def execution_frame(self, since_us: int, until_us: int, threshold_s: float) -> pl.DataFrame:
        """Executions that ended in the span and took at least the threshold (gamma-distributed times)."""
        rows: dict[str, list[np.ndarray]] = {"ended_at_us": [], "duration_s": [], "statement": [], "plan": []}
        keys = list(self.server.statements)
        for block in self.blocks(since_us // MINUTE_US * MINUTE_US, -(-until_us // MINUTE_US) * MINUTE_US):
            calls = block.calls.astype(int)
            mean = block.seconds.sum(axis=0) / np.maximum(block.calls, 1)
            shape = np.clip(mean**2 / np.maximum(block.model.variance, 1e-18), 0.6, 60)
            scale = np.maximum(mean, 1e-12) / shape
            above = gammaincc(shape, threshold_s / scale)
            plans = np.array([block.state.plans[key].key() for key in block.keys], dtype=object)
            for m in np.flatnonzero((calls * above).sum(axis=0) > 1e-9):
                minute = block.first_us + int(m) * MINUTE_US
                rng = np.random.default_rng([self.server.seed, 3, minute // MINUTE_US])
                which = np.repeat(np.arange(len(keys)), rng.binomial(calls[:, m], above[:, m]))
                left = rng.random(which.size) * above[which, m]
                rows["ended_at_us"].append(minute + rng.integers(0, MINUTE_US, which.size))
                rows["duration_s"].append(gammainccinv(shape[which, m], left) * scale[which, m])
                rows["statement"].append(which)
                rows["plan"].append(plans[which])
        if not rows["statement"]:
            return pl.DataFrame()
        which = np.concatenate(rows["statement"])
        state = self.server.state(until_us)
        frame = pl.DataFrame(
            {
                "ended_at_us": np.concatenate(rows["ended_at_us"]),
                "duration_s": np.concatenate(rows["duration_s"]),
                "statement_key": pl.Series("k", keys, dtype=pl.String).gather(which),
                "plan_key": pl.Series("p", np.concatenate(rows["plan"]).tolist(), dtype=pl.String),
            }
        )
        for name in ("rows_returned", "rows_examined", "pages_read"):
            values = np.array([float(getattr(state.visits[k], name)) for k in keys])
            frame = frame.with_columns(pl.Series(name, values[which]))
        return frame.filter(pl.col("ended_at_us").is_between(since_us, until_us - 1)).sort("ended_at_us")


def metrics(block: Block) -> dict[str, Array]:
    """Increments of the neutral counters in each minute of a block."""

    def total(name: str) -> Array:
        return np.asarray((block.calls * block.per_call(name)).sum(axis=0))

    host = block.state.cluster.host
    use = block.model.utilisation
    return {
        "calls": block.calls.sum(axis=0),
        "time_s": block.seconds.sum(axis=(0, 1)),
        "processor_busy_s": block.seconds[0].sum(axis=0),
        "data_volume_busy_s": use["data volume"] * 60 * host.data_volume.channels,
        "log_volume_busy_s": use["log volume"] * 60,
        "pages_requested": total("pages_requested"),
        "pages_read": total("pages_read"),
        "pages_written": total("dirty") * DIRTY_COALESCED,
        "log_bytes": total("log_bytes"),
        "rows_returned": total("rows_returned"),
        "rows_examined": total("rows_examined"),
        "commits": total("commits"),
    }


def used_bytes(server: PracticeServer, at_us: int) -> int:
    """Bytes used on the data volume: as declared at the anchor, growing evenly."""
    volume = server.cluster.host.data_volume
    grown = (at_us - server.anchor_us) / DAY_US * volume.growth_per_day
    return int(min(volume.capacity, volume.used + grown) // PAGE_BYTES * PAGE_BYTES)


def _minute_column(block: Block) -> np.ndarray:
    return block.first_us + np.arange(block.minutes, dtype=np.int64) * MINUTE_US


def _cut(block: Block, first: int, last: int) -> Block:
    if (first, last) == (0, block.minutes):
        return block
    s = slice(first, last)
    model = Minutes(
        block.model.rate[:, s], block.model.seconds[:, :, s], block.model.variance[:, s],
        {k: v[s] for k, v in block.model.utilisation.items()},
    )  # fmt: skip
    return Block(
        block.first_us + first * MINUTE_US,
        block.keys,
        block.state,
        model,
        block.calls[:, s],
        block.seconds[:, :, s],
    )
