"""By events: the same stations as by the clock, execution by execution, with real queues, pages and locks (SimPy)."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np
import simpy

from hardy_gauge.probes.protocol import Arrival
from practice_fleet.events.locking import NOBODY, Ends
from practice_fleet.events.machine import Machine, one_task
from practice_fleet.events.pages import Store
from practice_fleet.events.randoms import Randoms
from practice_fleet.events.result import Result, result_of
from practice_fleet.events.rows import Row
from practice_fleet.events.stations import Steps
from practice_fleet.physics.demand import Visits
from practice_fleet.physics.locks import Hold
from practice_fleet.physics.wait_events import EVENTS, QUEUE, RUNNING, WORKERS, Limits
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.transactions import PlayedTransaction


@dataclass
class Run:
    """One run of a workload on one host; ``weights`` are statement shares in the order of ``visits``.

    ``holds`` are idle sessions that keep a statement's rows, with the number of the statement that stands between;
    ``failing`` the share of a statement's calls that fail whatever happens; ``pages_besides`` come to the data
    volume besides. On a coordinator each of ``workers`` does ``worker_visits`` for every call, on a host like it.
    ``transactions`` are what applications do as one, and ``single`` the weights of calls outside of any; recorded arrivals, and
    workers that take statements in an order, call each statement by itself.
    """

    host: HostSpec
    visits: list[Visits]
    weights: list[float]
    arrival: Arrival
    limits: Limits
    seed: int
    store: Store | None = None
    holds: Mapping[int, tuple[Hold, int | None]] = field(default_factory=dict)
    failing: Mapping[int, float] = field(default_factory=dict)
    pages_besides: float = 0.0
    worker_visits: list[Visits] = field(default_factory=list)
    workers: int = 0
    single: list[float] = field(default_factory=list)
    transactions: list[PlayedTransaction] = field(default_factory=list)
    env: simpy.Environment = field(default_factory=simpy.Environment)

    def __post_init__(self) -> None:
        self.arriving = Randoms([self.seed, 1])
        self.looking = Randoms([self.seed, 5])
        alone = not self.transactions or self.arrival.kind == "recorded" or self.arrival.order != "weight"
        units = self.weights if alone else [*self.single, *(one.weight for one in self.transactions)]
        self.units = sum(units) / sum(self.weights)  # calls and transactions, for each call
        self.shares = np.cumsum(np.array(units) / sum(units))
        self.active: dict[int, list[int]] = {}
        self.finished: list[tuple[float, ...]] = []
        self.samples: list[tuple[int, int, int, int, int]] = []
        self.ticks: list[tuple[int, int, int, float, int, int]] = []
        self.machine = Machine(
            self.env, self.host, self.visits, self.limits, Randoms([self.seed, 0]), self.store, self._pace, self.holds,
            self.pages_besides,
        )  # fmt: skip
        tasks = [one_task(visit) for visit in self.worker_visits]
        self.others = [
            Machine(self.env, self.host, tasks, self.limits, Randoms([self.seed, 4, number]), None, self._pace)
            for number in range(self.workers)
        ]

    def play(self, seconds: float, progress: Callable[[float], bool] = lambda _: True) -> Result:
        """Run for ``seconds`` of simulated time; ``progress`` is told each second and may return False to stop."""
        arrival = self.arrival
        if arrival.kind == "open":
            self.env.process(self._arrivals(float(arrival.rate_per_s or 1.0) * self.units))
        elif arrival.kind == "recorded":
            self.env.process(self._recorded(arrival.times_s))
        else:
            for worker in range(arrival.workers or 1):
                self.env.process(self._worker(worker))
        self.env.process(self._sampler())
        done = 0.0
        while done < seconds:
            done = min(seconds, done + 1.0)
            self.env.run(until=done)
            if not progress(done):
                break
        return self._result(done)

    # arrivals -------------------------------------------------------------------------------------

    def _pick(self, random: Randoms) -> int:
        return min(int(np.searchsorted(self.shares, random.uniform())), len(self.shares) - 1)

    def _arrivals(self, rate: float) -> Steps:
        for number in itertools.count(1):
            yield self.env.timeout(self.arriving.exponential(1 / rate))
            self.env.process(self._in_session(number, self._pick(self.arriving)))

    def _recorded(self, times_s: list[float]) -> Steps:
        for number, at in enumerate(times_s, 1):
            if at > self.env.now:
                yield self.env.timeout(at - self.env.now)
            self.env.process(self._in_session(number, self._pick(self.arriving)))

    def _in_session(self, number: int, statement: int) -> Steps:
        machine = self.machine
        if machine.sessions >= machine.limits.max_sessions:
            machine.refused += 1
            return
        machine.sessions += 1
        yield from self._unit(number, statement)
        machine.sessions -= 1

    def _worker(self, number: int) -> Steps:
        arrival = self.arrival
        random = Randoms([self.seed, 2, number], block=256)
        for turn in itertools.count():
            pause = _pause(arrival, random)
            if pause:
                yield self.env.timeout(pause)
            if arrival.order == "file":
                statement = turn % len(self.visits)
            elif arrival.order == "own":
                statement = number % len(self.visits)
            else:
                statement = self._pick(random)
            yield from self._unit(number, statement)

    def _unit(self, number: int, picked: int) -> Steps:
        """One call, or a transaction: its calls one after the other, what they lock kept to its end. It ends with the first call
        that fails.
        """
        if picked < len(self.visits):
            yield from self._execute(number, picked, self.env.now)
            return
        one, random = self.transactions[picked - len(self.visits)], self.machine.random
        calls = [place for place, times in one.steps for _ in range(random.whole(times))]
        writes = [turn for turn, place in enumerate(calls) if self.visits[place].log_bytes > 0]
        commits_at = writes[-1] if writes and random.uniform() >= one.rolls_back else None
        kept: list[Row] = []
        for turn, place in enumerate(calls):
            if turn and one.pause_s:
                yield self.env.timeout(random.exponential(one.pause_s))
            if not (yield from self._execute(number, place, self.env.now, kept, turn == commits_at)):
                break
        self.machine.locking.release(kept)

    def _pace(self) -> float:
        """Calls done per second ÷ the sum of the weights: how much faster than the weights say it goes."""
        guess = self.store.pace if self.store else 1.0
        return (len(self.finished) / sum(self.weights) + guess) / (self.env.now + 1.0)

    def _sampler(self) -> Steps:
        for tick in itertools.count(1):
            yield self.env.timeout(1.0)
            here = self.machine
            self.samples += self._seen(tick, here.host.cores)
            counts = (here.checkpointer.started, here.checkpointer.forced) if here.checkpointer else (0, 0)
            self.ticks.append((tick, here.pages_read, here.pages_written, here.log_bytes, *counts))

    def _seen(self, tick: int, cores: int) -> list[tuple[int, int, int, int, int]]:
        """Every session at work; of more that have work for the cores than there are cores, some queue at this moment."""
        working = [number for number, at in self.active.items() if at[1] == RUNNING]
        queue = set()
        while len(working) > cores:
            queue.add(working.pop(int(self.looking.uniform() * len(working))))
        return [(tick, n, at[0], QUEUE if n in queue else at[1], at[2]) for n, at in self.active.items()]

    def _execute(
        self, number: int, statement: int, arrived: float, kept: list[Row] | None = None, commits: bool = True
    ) -> Ends:
        spent = [0.0] * len(EVENTS)
        where = self.active[number] = [statement, QUEUE, NOBODY]
        done = yield from self.machine.execute(number, statement, where, spent, kept, commits)
        if done and self.others:
            since, where[1] = self.env.now, WORKERS
            yield self.env.all_of([self.env.process(other.part(number, statement)) for other in self.others])
            spent[WORKERS] = self.env.now - since
        if done and statement in self.failing:
            done = self.machine.random.uniform() >= self.failing[statement]
        del self.active[number]
        self.finished.append((arrived, self.env.now - arrived, statement, not done, *spent))
        return done

    def _utilisation(self, seconds: float) -> dict[str, float]:
        """Of the host's stations, and of those of the busiest worker."""
        use = self.machine.utilisation(seconds)
        for other in self.others:
            for name, share in other.utilisation(seconds).items():
                use[f"worker {name}"] = max(share, use.get(f"worker {name}", 0.0))
        return use

    def _result(self, seconds: float) -> Result:
        span = max(seconds, 1e-9)
        return result_of(self.finished, self.samples, self.ticks, self._utilisation(span), seconds)


def _pause(arrival: Arrival, random: Randoms) -> float:
    if arrival.think == "uniform":
        return arrival.think_s + (max(arrival.think_most_s, arrival.think_s) - arrival.think_s) * random.uniform()
    if not arrival.think_s:
        return 0.0
    return arrival.think_s if arrival.think == "fixed" else random.exponential(arrival.think_s)
