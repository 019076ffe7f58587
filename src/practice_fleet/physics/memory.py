"""Where a host's memory goes, what is left for the operating system's cache, and what happens beyond.

Common practice: buffers multiply; global + sessions × per session + running statements × per operation must
stay below memory, or the host swaps, and the system may kill the server.
"""

from __future__ import annotations

from dataclasses import dataclass

from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.settings import Value

BASE_BYTES = 2**30
WORKING_PAGES = 40.0
MAPPED_PER_TABLE_BYTE = 512
MOST_GIVEN_UP = 0.1
HUGE_MAPPED_PER_TABLE_BYTE = 262_144


@dataclass(frozen=True)
class Memory:
    """Bytes by use. ``page_tables`` map the buffer cache once for every session.

    ``tendency`` is how readily memory goes to swap before it is full.
    """

    host: float
    swap: float
    buffer: float
    sessions: float
    operations: float
    page_tables: float = 0.0
    tendency: float = 0.0

    @property
    def used(self) -> float:
        return BASE_BYTES + self.buffer + self.sessions + self.operations + self.page_tables

    @property
    def system_cache(self) -> float:
        """Bytes left for the operating system to keep files in."""
        return max(0.0, self.host - self.used * (1 - self.swapped))

    @property
    def swapped(self) -> float:
        """Share of what is used that lies on swap: what is over, or what the host gives up to cache files."""
        given_up = min(self.tendency * MOST_GIVEN_UP * self.used, self.swap) / self.used
        return max(given_up, (self.used - self.host) / self.used)

    @property
    def killed(self) -> bool:
        """Memory and swap are full: the system kills the largest process."""
        return self.used > self.host + self.swap

    @property
    def killed_words(self) -> str:
        """Why the host ends the server."""
        needed, there = self.used / 2**30, (self.host + self.swap) / 2**30
        return (
            f"the host killed the server: it needs {needed:.1f} GiB of memory, and memory and swap are {there:.1f} GiB"
        )


def memory(host: HostSpec, settings: dict[str, Value], sessions: float, running: float) -> Memory:
    """Use with ``sessions`` open and ``running`` statements that sort or hash at a time."""
    cache = float(settings["buffer_cache_bytes"])
    mapped = HUGE_MAPPED_PER_TABLE_BYTE if host.huge_pages else MAPPED_PER_TABLE_BYTE
    return Memory(
        float(host.memory), float(host.swap), cache, sessions * float(settings["session_memory_bytes"]),
        running * float(settings["sort_memory_bytes"]), sessions * cache / mapped, host.swap_tendency,
    )  # fmt: skip
