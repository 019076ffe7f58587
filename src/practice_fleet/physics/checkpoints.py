"""How often checkpoints come, what they write, and how much log the first change of a page after one costs.

The first change of a page after a checkpoint puts the whole page into the log, so that a torn write can be
mended. A checkpoint starts when its time has come or when the log's capacity is used up by then.
"""

from __future__ import annotations

from dataclasses import dataclass

from practice_fleet.physics.cache import Accessed, distinct_pages
from practice_fleet.scenario.units import PAGE_BYTES

ROUNDS = 24


@dataclass(frozen=True)
class Checkpoints:
    """``every_s`` between starts; ``forced`` when the log's size decides; rates per second."""

    every_s: float
    forced: bool
    spread: float
    image_bytes_per_s: float
    checkpoint_pages_per_s: float
    evicted_pages_per_s: float


def checkpoints(
    changed: list[Accessed],
    log_bytes_per_s: float,
    capacity: float,
    interval_s: float,
    spread: float,
    stay_s: float,
    whole_pages: bool = True,
) -> Checkpoints:
    """Solve for the time between checkpoints: more log makes them come sooner, and that makes more log.

    ``changed`` are page changes per second by object; ``log_bytes_per_s`` is the log without page images;
    ``whole_pages`` go into the log unless the file system writes them whole;
    ``stay_s`` is how long a page stays in the buffer cache: a changed page that leaves sooner than the next
    checkpoint is written then, and may be changed and written again before the checkpoint.
    """
    usable = capacity / (1 + spread)
    every, images = interval_s, 0.0
    for _ in range(ROUNDS):
        images = distinct_pages(changed, every) / every * PAGE_BYTES if whole_pages else 0.0
        by_log = usable / max(log_bytes_per_s + images, 1e-9)
        wanted = min(interval_s, by_log)
        if abs(wanted - every) < 1e-3 * every:
            break
        every = (every * wanted) ** 0.5
    together = distinct_pages(changed, every) / every
    apart = distinct_pages(changed, stay_s) / stay_s if 0 < stay_s < every else together
    return Checkpoints(every, every < 0.98 * interval_s, spread, images, together, max(0.0, apart - together))
