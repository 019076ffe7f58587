"""How large the data of a standard set is made: by a number, or larger than the memory of this machine."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import psutil

from hardy_gauge.core.figures.formatting import size
from hardy_gauge.load.standard.maker import StandardSet

LARGER_THAN_MEMORY = "larger than memory"
MORE = 1.25  # times memory
# tables and indexes of a PostgreSQL at scale 1, measured
BYTES: dict[StandardSet, float] = {"reporting": 124e6, "desk": 132e6}
ROOM = 1.1  # of the disk, for its log and sorts
LIMITS = ("/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes")


def memory_bytes() -> int:
    """Of this machine, or what this process and its children may take of it."""
    found = psutil.virtual_memory().total
    for path in map(Path, LIMITS):
        text = path.read_text(encoding="ascii").strip() if path.exists() else ""
        if text.isdigit():
            found = min(found, int(text))
    return found


def scale_of(set_: StandardSet, wanted: Any) -> Any:
    """The number that ``larger than memory`` is of a set here; anything else as it is."""
    if wanted != LARGER_THAN_MEMORY or set_ not in BYTES:
        return wanted
    return math.ceil(100 * MORE * memory_bytes() / BYTES[set_]) / 100


def lacking_room(set_: StandardSet, scale: float, copies: int, free: float) -> str:
    """Why the data and their copies do not fit into so many bytes of the disk; empty where they do."""
    wanted = ROOM * copies * scale * BYTES[set_]
    if wanted <= free:
        return ""
    times = "" if copies == 1 else f", of which the trial keeps {copies} copies,"
    return f"data of about {size(scale * BYTES[set_])}{times} want {size(wanted)} of the disk, and {size(free)} may be taken"
