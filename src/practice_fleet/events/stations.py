"""Stations of a run: parallel servers with one queue, a volume behind its limits, the log writer."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Generator

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
