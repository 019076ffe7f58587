"""Stations of a run: parallel servers with one queue, a volume behind its limits, the log writer."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Generator
from heapq import heappop, heappush
from itertools import count

import simpy

from practice_fleet.physics.storage import Volume

Steps = Generator[simpy.Event, object, None]


class Station:
    """Parallel servers with one queue, first come first served; ``busy_s`` adds up service given.

    A server that is free is taken without an event, which is what most visits do.
    """

    def __init__(self, env: simpy.Environment, servers: int) -> None:
        self.env, self.free = env, servers
        self.waiting: deque[simpy.Event] = deque()
        self.busy_s = 0.0

    def take(self) -> simpy.Event | None:
        """Nothing when a server was free, else the event of its turn."""
        if self.free:
            self.free -= 1
            return None
        turn = self.env.event()
        self.waiting.append(turn)
        return turn

    def give(self) -> None:
        """Leave the server to the next in the queue."""
        if self.waiting:
            self.waiting.popleft().succeed()
        else:
            self.free += 1


class SharedCores:
    """Cores in time slices: of ``n`` that have work each gets min(1, cores ÷ n) of a core, which is processor sharing.

    ``_done`` is how much each that has been there all along was given; work is over when it has grown by what it needs.
    """

    def __init__(self, env: simpy.Environment, cores: int) -> None:
        self.env, self.cores = env, cores
        self._at = self._done = self._busy_s = 0.0
        self._work: list[tuple[float, int, simpy.Event]] = []
        self._numbers, self._plan = count(), 0

    def work(self, seconds: float) -> simpy.Event:
        """The event comes when so much was done."""
        self._go_on()
        over = self.env.event()
        first = self._work[0][0] if self._work else float("inf")
        heappush(self._work, (self._done + seconds, next(self._numbers), over))
        if self._done + seconds < first or len(self._work) > self.cores:
            self._schedule()
        return over

    def busy_until_now(self) -> float:
        """Seconds of work done by all cores."""
        self._go_on()
        return self._busy_s

    def _go_on(self) -> None:
        passed, self._at = self.env.now - self._at, self.env.now
        working = min(len(self._work), self.cores)
        if working:
            self._done += passed * working / len(self._work)
            self._busy_s += passed * working

    def _schedule(self) -> None:
        self._plan += 1
        if self._work:
            left = max(0.0, self._work[0][0] - self._done) * max(1.0, len(self._work) / self.cores)
            due = self.env.timeout(left, self._plan)
            due.callbacks.append(self._due)

    def _due(self, event: simpy.Event) -> None:
        if event.value != self._plan:  # something came in between
            return
        self._go_on()
        first = True
        while self._work and (first or self._work[0][0] <= self._done + 1e-12):
            heappop(self._work)[2].succeed()
            first = False
        self._schedule()


class Gate:
    """Requests pass one after the other, each for a fixed time: the limits of a volume."""

    def __init__(self, env: simpy.Environment) -> None:
        self.env = env
        self.free_at = 0.0
        self.busy_s = 0.0

    def delay(self, seconds: float) -> float:
        """Seconds until a request that comes now has passed."""
        self.free_at = max(self.env.now, self.free_at) + seconds
        self.busy_s += seconds
        return self.free_at - self.env.now


class LogWriter:
    """One write at a time serves every commit that was waiting when it began; its size is that of all of them."""

    def __init__(self, env: simpy.Environment, volume: Volume, through: Callable[[float], Steps]) -> None:
        self.env, self.volume, self.through = env, volume, through
        self.waiting: list[tuple[simpy.Event, float, float]] = []
        self.writing = False
        self.gate = Gate(env)
        self.busy_s = 0.0

    def write(self, seconds: float, size: float) -> simpy.Event:
        """Write ``size`` bytes that alone take ``seconds``; the event comes when they are on the volume."""
        done = self.env.event()
        self.waiting.append((done, seconds, size))
        if not self.writing:
            self.writing = True
            self.env.process(self._run())
        return done

    def _run(self) -> Steps:
        while self.waiting:
            batch, self.waiting = self.waiting, []
            longest = max(batch, key=lambda one: one[1])
            size = sum(one[2] for one in batch)
            seconds = longest[1] + (size - longest[2]) / self.volume.stream_bytes_per_s
            gate = self.volume.gate_s(size)
            if gate:
                delay = self.gate.delay(gate)
                if delay > 0:
                    yield self.env.timeout(delay)
            yield from self.through(seconds)
            self.busy_s += seconds
            for done, _, _ in batch:
                done.succeed()
        self.writing = False
