"""The loop of a worker: executions one after another until its time is over. Only the standard library is imported here."""

from __future__ import annotations

import fcntl
import itertools
import os
import random
import struct
import time
from array import array
from collections.abc import Callable, Sequence
from typing import Any

from hardy_gauge.load.pacing import Drawn, Pace, chooser, drawer, pauser
from hardy_gauge.load.second_counts import SecondCounts
from hardy_gauge.load.worker_rows import WorkerRows

LOOK_S = 0.02  # between two looks at whether it is to end


def work_through(
    asked: dict[str, Any], number: int, execute: Callable[[int, list[Drawn]], bool], ended: Callable[[], bool], began: float | None = None
) -> WorkerRows:  # fmt: skip
    """``execute`` is given the number of a statement and its values, and says whether it succeeded; ``ended`` whether to end before the time.
    ``began`` is when the run did, by the clock that all processes share; now where it is not given.

    With ``arrivals`` asked for, a descriptor from which due times are read, each execution begins when it is due, or as soon after it as a
    worker is free, and lasts from when it was due: who arrives while all are busy waits, and that is counted.

    With ``counts`` asked for, a descriptor of ``shared_counts``, what was done in each second is told there while it goes on.

    Between two executions it does as little as it can: what it takes there is taken from the server.
    """
    draw, pace, seconds = random.Random(asked["seed"] * 1000 + number), Pace(**asked["pace"]), float(asked["seconds"])
    weights = [one["weight"] for one in asked["statements"]]
    choose, pause = chooser(pace, number, weights, draw), pauser(pace, draw)
    values = [drawer(one["parameters"], draw) for one in asked["statements"]]
    rows = WorkerRows()
    add, clock = rows.adder(), time.perf_counter
    queue: int | None = asked.get("arrivals")
    tell = None if asked.get("counts") is None else rows.teller(SecondCounts(asked["counts"], number))
    now, looked, look_at, began = 0.0, 0.0, 0.0, clock() if began is None else began
    for turn in itertools.count():
        if now >= seconds or (pace.once and turn >= len(weights)):
            break
        if now >= look_at:
            if tell is not None:
                tell(looked, now)
            if ended():
                break
            looked, look_at = now, min(now + LOOK_S, int(now) + 1.0)
        if pause is not None:
            time.sleep(pause())
        which = choose(turn)
        drawn = values[which]()
        if queue is None:
            start = clock() - began
        else:
            due = next_due(queue)
            if due is None or not _waited(began + due, ended):
                break
            start = due
        succeeded = execute(which, drawn)
        now = clock() - began
        add(start, now - start, which, not succeeded)
    if tell is not None:
        tell(looked, now)
    return rows


def shared_queue(times: Sequence[float]) -> int:
    """A descriptor from which each of several processes reads the next due time (float64, read in whole): they inherit it, and with it one
    place in the queue. The caller closes it.
    """
    queue = os.memfd_create("arrivals")
    view = memoryview(array("d", times).tobytes())
    while view:
        view = view[os.write(queue, view) :]
    os.lseek(queue, 0, os.SEEK_SET)
    return queue


def next_due(queue: int) -> float | None:
    """The next due time of a queue that workers share; None where there is no more. One process at a time: not every kernel moves a shared
    place as one with the reading.
    """
    fcntl.lockf(queue, fcntl.LOCK_EX)
    try:
        found = os.read(queue, 8)
    finally:
        fcntl.lockf(queue, fcntl.LOCK_UN)
    return struct.unpack("d", found)[0] if len(found) == 8 else None


def _waited(until: float, ended: Callable[[], bool]) -> bool:
    """Sleep until then; False when it is to end meanwhile."""
    while (left := until - time.perf_counter()) > 0:
        time.sleep(min(left, LOOK_S))
        if left > LOOK_S and ended():
            return False
    return True
