"""Moments at which the number of members that a server sees changes for good."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise


def member_steps(seen: Sequence[tuple[int, int]]) -> Iterator[tuple[int, int, int]]:
    """Time, number before and number after, where two looks one after the other say so; ``seen`` is by time."""
    before = seen[0][1] if seen else 0
    for (at, count), (_, then) in pairwise(seen):
        if count != before and then == count:
            yield at, before, count
            before = count
