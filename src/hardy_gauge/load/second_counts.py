"""What workers have done by second of a run, told while it goes on: counts in memory that they share with whoever watches. Only the standard
library is imported here.
"""

from __future__ import annotations

import mmap
import os
from collections.abc import Sequence
from pathlib import Path

COLUMNS = 3  # executions that ended, that failed, and seconds that those that ended took; float64
MOST_S = 21 * 4096  # nearly a day; the counts of a worker fill whole pages
WORKER_BYTES = MOST_S * COLUMNS * 8


def shared_counts(workers: int, path: Path | None = None) -> int:
    """A descriptor of the counts of so many workers, which processes inherit: a file at ``path``, of no name where none is given. It holds zeros,
    and takes no room until they are filled. The caller closes it.
    """
    made = os.memfd_create("counts") if path is None else os.open(path, os.O_RDWR | os.O_CREAT | os.O_TRUNC, 0o644)
    os.ftruncate(made, workers * WORKER_BYTES)
    return made


class SecondCounts:
    """The counts of one worker, filled by it alone."""

    def __init__(self, descriptor: int, worker: int) -> None:
        self._memory = memoryview(mmap.mmap(descriptor, WORKER_BYTES, offset=worker * WORKER_BYTES)).cast("d")

    def add(self, second: int, durations_s: Sequence[float], failures: Sequence[int]) -> None:
        """Executions that came to their end within a second of the run."""
        if not durations_s or second >= MOST_S:
            return
        failed = sum(failures)
        took = sum(durations_s)
        if failed:
            took -= sum(one for one, wrong in zip(durations_s, failures, strict=True) if wrong)
        at, memory = second * COLUMNS, self._memory
        memory[at] += len(durations_s) - failed
        memory[at + 1] += failed
        memory[at + 2] += took
