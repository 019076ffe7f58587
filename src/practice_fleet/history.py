"""What a practice server did in each minute: the same figures serve as history and as the live feed.

Minutes are worked out by days, cut where the server's state changes, from generators seeded by server and
day. They are drawn minute after minute, so a figure does not depend on when or with which neighbours it is
asked for, nor on what happens to the server later.
"""

from __future__ import annotations

import itertools
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from practice_fleet.burst_credit import bursting, credit_left
from practice_fleet.conditions import State
from practice_fleet.flows.base import Flow
from practice_fleet.physics.clock import Minutes, solve
from practice_fleet.physics.pooler import pooled
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.storage import Others, Volume
from practice_fleet.physics.wait_events import EVENTS, RUNNING, Limits
from practice_fleet.scenario.clusters import PoolerSpec
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.server import DAY_US, MINUTE_US, PracticeServer
from practice_fleet.transactions import kept_after

KEPT_DAYS = 2


@dataclass(frozen=True)
class Block:
    """Minutes ``[first_us, first_us + minutes)`` of one server; arrays (statements, minutes)."""

    first_us: int
    keys: list[str]
    state: State
    model: Minutes
    calls: Array
    errors: Array  # calls that failed
    seconds: Array  # (events, statements, minutes), totals of the minute
    refused: Array  # calls that found no session free
    coming: Others  # requests to its data volume for what other servers send it
    brought: dict[str, Array]  # what other servers add to the counters of each minute

    @property
    def minutes(self) -> int:
        return int(self.calls.shape[1])

    @property
    def at_us(self) -> np.ndarray:
        """Start of each minute."""
        return self.first_us + np.arange(self.minutes, dtype=np.int64) * MINUTE_US

    def per_call(self, name: str) -> Array:
        return np.array([float(getattr(self.state.visits[key], name)) for key in self.keys])[:, None]

    @property
    def foreign_pages_per_s(self) -> float:
        """What other servers make of requests to the data volume in the first minute, in single pages."""
        busy = self.coming.channel_s[0] + self.model.neighbours.channel_s[0]
        return float(busy) / self.state.hardware.data_volume.latency_s

    def cut(self, first: int, last: int) -> Block:
        if (first, last) == (0, self.minutes):
            return self
        s = slice(first, last)
        model = Minutes(
            self.model.rate[:, s], self.model.seconds[:, :, s], self.model.variance[:, s], self.model.held[:, s],
            self.model.held_variance[:, s], self.model.failed[:, s], self.model.victims[:, s], self.model.refused[:, s],
            self.model.neighbours.cut(s),
            {k: v[s] for k, v in self.model.utilisation.items()},
        )  # fmt: skip
        brought = {name: figures[s] for name, figures in self.brought.items()}
        return Block(
            self.first_us + first * MINUTE_US, self.keys, self.state, model, self.calls[:, s], self.errors[:, s],
            self.seconds[:, :, s], self.refused[:, s], self.coming.cut(s), brought,
        )  # fmt: skip


class History:
    """Figures of one server by minute, with what reaches it from others; the last days asked for are kept."""

    def __init__(self, server: PracticeServer, flows: Iterable[Flow] = ()) -> None:
        self.server, self.flows = server, list(flows)
        self._days: OrderedDict[tuple[int, int], list[Block]] = OrderedDict()

    def blocks(self, since_us: int, until_us: int) -> list[Block]:
        """Whole minutes within the span, cut where the server's state changes, and by days."""
        found = []
        for block in self.whole_blocks(since_us, until_us):
            first = max(0, -(-(since_us - block.first_us) // MINUTE_US))
            last = min(block.minutes, (until_us - block.first_us) // MINUTE_US)
            if first < last:
                found.append(block.cut(int(first), int(last)))
        return found

    def whole_blocks(self, since_us: int, until_us: int) -> list[Block]:
        """The blocks that the span touches, as they are worked out: a day long, or to the next change of state."""
        days = range(since_us // DAY_US * DAY_US, until_us, DAY_US)
        every = [block for day in days for block in self._day(day)]
        return [b for b in every if b.first_us < until_us and b.first_us + b.minutes * MINUTE_US > since_us]

    def at(self, now_us: int) -> Block:
        """The minute that ``now_us`` lies in."""
        minute = now_us // MINUTE_US * MINUTE_US
        return self.blocks(minute, minute + MINUTE_US)[0]

    def _day(self, day_us: int) -> list[Block]:
        key = (day_us, self._changes())
        if key not in self._days:
            cuts = [day_us, *self.server.cuts(day_us, day_us + DAY_US), day_us + DAY_US]
            self._days[key] = [self._make(a, (b - a) // MINUTE_US) for a, b in itertools.pairwise(cuts)]
            while len(self._days) > KEPT_DAYS:
                self._days.popitem(last=False)
        return self._days[key]

    def _changes(self) -> int:
        """Grows with whatever changes this server or one that reaches it."""
        return len(self.server.influences) + sum(flow.changes() for flow in self.flows)

    def _make(self, first_us: int, minutes: int) -> Block:
        server = self.server
        state = server.state(first_us)
        keys = list(state.statements)
        at = first_us + np.arange(minutes, dtype=np.int64) * MINUTE_US
        offered = server.offered(state, first_us, minutes)
        own = Others.of_pages(
            (state.background(at) + state.now.background_reads_per_s), Volume.of(state.hardware.data_volume)
        )
        coming, neighbours = Others.none(minutes), Others.none(minutes)
        for flow in self.flows:
            if (more := flow.others(first_us, minutes)) is not None and flow.of_neighbours:
                neighbours = neighbours + more
            elif more is not None:
                coming = coming + more
        waits = next((w for flow in self.flows if (w := flow.waits(keys, first_us, minutes)) is not None), None)
        limits, pool = Limits.of(state.settings), state.now.pool_sessions
        if pool is not None:
            limits = replace(limits, max_sessions=min(limits.max_sessions, pool))

        def after(seconds: Array) -> Array:
            return kept_after(state.now.transactions, keys, state.statements, seconds)

        def solved(host: HostSpec) -> Minutes:
            return solve(
                offered, [state.visits[k] for k in keys], host, limits, own + coming, neighbours,
                [state.holds.get(k) for k in keys], waits, at / 1e6, after,
            )  # fmt: skip

        left = credit_left(server, first_us, minutes)
        if left is None or (left > 0).all():
            model = solved(state.host if left is None else bursting(state.host))
        else:
            model = solved(state.host)
            if (left > 0).any():
                model = solved(bursting(state.host)).where(left > 0, model)
        calls_rng = np.random.default_rng([server.load_seed, 1, first_us // MINUTE_US])
        noise_rng = server.draws(4, first_us)
        calls = calls_rng.poisson(model.rate.T * 60).T.astype(float)
        noise = np.moveaxis(noise_rng.standard_normal((minutes, len(EVENTS), len(keys))), 0, -1)
        spread = (
            np.sqrt(model.variance + model.held_variance)
            / np.maximum(model.response, 1e-12)
            / np.sqrt(np.maximum(calls, 1))
        )
        factor = np.clip(1 + noise * spread, 0.2, 3)
        factor[RUNNING] = 1  # work done does not vary with the queues
        brought: dict[str, Array] = {}
        for flow in self.flows:
            for name, figures in flow.metrics(first_us, minutes).items():
                brought[name] = brought.get(name, 0.0) + figures
        refused_per_s = model.refused
        if pool is not None:
            brought |= _before_pool(server, pool, model)
            refused_per_s = np.zeros_like(model.refused)
        always = np.array([state.now.failing.get(key, 0.0) for key in keys])[:, None]
        errors_rng = server.draws(6, first_us)
        failing = 1 - (1 - always) * (1 - model.failed)
        errors = errors_rng.binomial(calls.T.astype(int), failing.T).T.astype(float)
        refused = server.draws(7, first_us).poisson(refused_per_s.T * 60).T.astype(float)
        return Block(
            first_us, keys, state, model, calls, errors, model.seconds * factor * calls, refused, coming, brought
        )


def _before_pool(server: PracticeServer, sessions: int, model: Minutes) -> dict[str, Array]:
    """What the pooler counts: seconds that calls waited for one of its sessions, and calls that gave up."""
    pooler = server.cluster.pooler or PoolerSpec(sessions=sessions)
    found = pooled(sessions, pooler.patience_s, model.rate, model.response, model.refused, pooler.retries)
    return {"pool_wait_s": found.waiting * 60, "pool_timeouts": found.given_up * 60}
