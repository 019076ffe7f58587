"""The sheet of a host: three drawings to scale, with what is known of each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from hardy_gauge.core.host.settings import HostSetting


@dataclass(frozen=True)
class Piece:
    """A part of a whole: cores busy with something, or bytes of memory used for something."""

    name: str
    value: float


@dataclass(frozen=True)
class HostVolume:
    """``reads`` and ``writes`` are requests a second, ``bytes`` a second in both ways, ``read_s`` and ``write_s`` the time of one,
    ``under_way`` how many are at once; limits are what was bought, None where none is known; ``fills`` is when it fills, in words,
    ``soon`` that it has to be planned for.
    """

    name: str
    purpose: str
    used_bytes: int
    capacity_bytes: int
    days_left: float | None
    fills: str
    soon: bool
    reads: float | None
    writes: float | None
    bytes: float | None
    read_s: float | None
    write_s: float | None
    under_way: float | None
    operations_limit: float | None
    bytes_limit: float | None


@dataclass(frozen=True)
class GrowingTable:
    """``bytes`` it takes with its indexes, what it grows by a day, and the part of the growth of all that grow."""

    table: str
    bytes: float
    bytes_per_day: float
    share: float


@dataclass(frozen=True)
class TableSpace:
    """``allocated_bytes`` of the tables without their indexes, of which ``needed_bytes`` hold rows that live; the rest is dead rows and
    room that is kept. ``most`` is the table with the most of it, ``most_bytes``; ``words`` say so.
    """

    words: str

    allocated_bytes: float
    needed_bytes: float
    most: str
    most_bytes: float


@dataclass(frozen=True)
class HostSheet:
    """``busy`` in cores by kind, ``waiting_per_core`` threads that run or wait for each core; ``memory`` in pieces that add up to ``memory_bytes``;
    ``sent`` and ``received`` bytes a second over the network; ``growing`` the tables that fill its volumes, None where
    sizes are not counted; ``unknown`` what the server
    does not tell of its host.
    """

    server: str
    sentence: str
    cores: int | None
    busy: Sequence[Piece]
    waiting_per_core: float | None
    memory_bytes: int | None
    memory: Sequence[Piece]
    swap_bytes: float | None
    swapped: float | None
    volumes: Sequence[HostVolume]
    retransmitted: float | None
    sent: float | None
    received: float | None
    growing: Sequence[GrowingTable] | None
    space: TableSpace | None
    settings: Sequence[HostSetting]
    unknown: Sequence[str]


def memory_pieces(
    total: int, used: float | None, available: float | None, cache: float | None, sessions: float | None
) -> list[Piece]:
    """Memory by use, adding up to ``total``: the buffer cache and the buffers of sessions as they are set, what else is used, what the
    system keeps for files and could give, and what is left over between those that report.
    """
    if used is None:
        return []
    pieces = []
    left = min(used, float(total))
    for name, size in (("buffer cache", cache), ("buffers of sessions", sessions)):
        if size:
            part = min(size, left)
            pieces.append(Piece(name, part))
            left -= part
    pieces.append(Piece("other processes and the system", left))
    free = max(0.0, total - min(used, float(total)))
    pieces.append(Piece("free, or kept for files", free if available is None else max(free, 0.0)))
    return [one for one in pieces if one.value > 0]
