"""Checkpoints of a run: they start by time or by log, write what is changed, and hold up commits when late."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import simpy

from practice_fleet.events.pages import Pages
from practice_fleet.events.stations import Steps

LOOK_S = 0.1


@dataclass
class Checkpointer:
    """Watches the log; ``write`` puts one page on the data volume, ``pace`` is calls done ÷ calls the rates mean."""

    env: simpy.Environment
    pages: Pages
    write: Callable[[], Steps]
    capacity: float
    interval_s: float
    spread: float
    pace: Callable[[], float]
    log_bytes: float = 0.0
    log_before: float = 0.0
    started: int = 0
    forced: int = 0
    pages_written: int = 0
    running: bool = False
    _left: int = 0

    def run(self, age_s: float) -> Steps:
        """Watch from now on, the last checkpoint having begun ``age_s`` ago."""
        last = self.env.now - age_s
        usual = self.interval_s
        while True:
            yield self.env.timeout(LOOK_S)
            self.pages.since_checkpoint_s = (self.env.now - last) * self.pace()
            by_log = self.log_bytes >= self.capacity / (1 + self.spread)
            if self.running or not (by_log or self.env.now - last >= self.interval_s):
                continue
            usual, last = max(self.env.now - last, LOOK_S), self.env.now
            self.started += 1
            self.forced += by_log
            self.log_before, self.log_bytes = self.log_bytes, 0.0
            self.running = True
            self.env.process(self._write(self.pages.checkpoint(), min(usual, self.interval_s) * self.spread))

    def _write(self, count: int, span_s: float) -> Steps:
        self._left = count
        for _ in range(count):
            self.env.process(self._one())
            yield self.env.timeout(span_s / count)
        while self._left:
            yield self.env.timeout(LOOK_S)
        self.running = False
        self.log_before = 0.0

    def _one(self) -> Steps:
        yield from self.write()
        self._left -= 1
        self.pages_written += 1

    @property
    def full(self) -> bool:
        """The log's capacity is used up before the checkpoint that would free it is done."""
        return self.log_bytes + self.log_before >= self.capacity
