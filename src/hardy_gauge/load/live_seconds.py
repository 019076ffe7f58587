"""What is seen of a run while it goes on, second by second: the counts of its workers, what sessions wait for, and this machine."""

from __future__ import annotations

import os
import stat
import time
from collections.abc import Callable, Mapping
from pathlib import Path

import numpy as np
import psutil

from hardy_gauge.core.trials.live_run import MOST_S, LiveRun
from hardy_gauge.load.second_counts import COLUMNS, WORKER_BYTES

Counts = Callable[[int, int], "np.ndarray[tuple[int, int], np.dtype[np.float64]]"]


def counts_at(place: int | Path, workers: int) -> Counts:
    """What reads shared counts (``second_counts``) from one second until another: a row for each, summed over the workers. ``place`` is their
    descriptor, or a file that a sandbox fills: it is read as a plain file alone, and what is no count in it is none.
    """

    def read(since: int, until: int) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
        if isinstance(place, int):
            return _summed(place, workers, since, until)
        try:
            descriptor = os.open(place, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
        except OSError:
            return np.zeros((until - since, COLUMNS))
        try:
            return _summed(descriptor, workers, since, until)
        finally:
            os.close(descriptor)

    return read


def _summed(
    descriptor: int, workers: int, since: int, until: int
) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:  # fmt: skip
    total = np.zeros((until - since, COLUMNS))
    if not stat.S_ISREG(os.fstat(descriptor).st_mode):
        return total
    for worker in range(workers):
        found = os.pread(descriptor, total.nbytes, worker * WORKER_BYTES + since * COLUMNS * 8)
        if len(found) == total.nbytes:
            total += np.frombuffer(found).reshape(total.shape)
    return np.clip(np.nan_to_num(total, posinf=0.0, neginf=0.0), 0.0, 1e15)


class LiveSeconds:
    """Looks at a run; ``here`` where its load and its server are on this machine, whose figures count then."""

    def __init__(self, counts: Counts, here: bool) -> None:
        self._counts, self._here = counts, here
        self._waits: list[dict[str, float]] = []
        self._looks: list[int] = []
        self._host: list[dict[str, float]] = []
        self._before, self._looked = _machine() if here else {}, time.perf_counter()
        self._done_s = 0.0

    def look(self, done_s: float, families: Mapping[str, float] | None = None) -> None:
        """``done_s`` seconds after its start; ``families`` are sessions at work by wait family at this moment, where they are looked at."""
        self._done_s, second = max(self._done_s, done_s), int(done_s)
        if families is not None:
            while len(self._waits) <= second:
                self._waits.append({})
                self._looks.append(0)
            self._looks[second] += 1
            for family, sessions in families.items():
                self._waits[second][family] = self._waits[second].get(family, 0.0) + sessions
        if self._here and second > len(self._host):
            now, at = _machine(), time.perf_counter()
            figures = {name: (value - self._before[name]) / (at - self._looked) for name, value in now.items()}
            self._host += [figures] * (second - len(self._host))
            self._before, self._looked = now, at

    def told(self, arm: str, seconds: float) -> LiveRun:
        """Its whole seconds so far, the last ones of many."""
        until = int(self._done_s)
        since = max(0, until - MOST_S)
        rows = self._counts(since, until)
        means = [took / ended if ended else None for ended, _, took in rows.tolist()]
        waits, looks, host = self._waits[since:until], self._looks[since:until], self._host[since:until]
        families = {
            family: [one.get(family, 0.0) / count if count else None for one, count in zip(waits, looks, strict=True)]
            for family in dict.fromkeys(name for one in waits for name in one)
        }
        names = self._before if self._here else ()
        return LiveRun(
            arm, seconds, since, rows[:, 0].astype(int).tolist(), rows[:, 1].astype(int).tolist(), means, families,
            {name: [one[name] for one in host] for name in names},
        )  # fmt: skip


def _machine() -> dict[str, float]:
    """Of this machine since it was started: seconds that a core was busy on average, and bytes of all its disks."""
    times = psutil.cpu_times()
    busy = sum(times) - times.idle - getattr(times, "iowait", 0.0) - getattr(times, "guest", 0.0) - getattr(times, "guest_nice", 0.0)  # fmt: skip
    disks = psutil.disk_io_counters()
    found = {"processor": busy / (psutil.cpu_count() or 1)}
    return found | ({"read_bytes": float(disks.read_bytes), "write_bytes": float(disks.write_bytes)} if disks else {})
