"""What every flow may bring to a server, minute by minute, and what a server's own statements ask for."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from typing import ClassVar

import numpy as np

from practice_fleet.conditions import State
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.storage import Others
from practice_fleet.server import MINUTE_US, PracticeServer


class Flow:
    """Something that reaches a server from another; arrays are by minute from ``first_us`` on.

    ``of_neighbours`` when its requests to the volume are not counted by this server, only felt.
    """

    of_neighbours: ClassVar[bool] = False

    def changes(self) -> int:
        """How many things have been done to the servers that it comes from."""
        return 0

    def others(self, first_us: int, minutes: int) -> Others | None:
        """Requests to the server's data volume that are not of its own statements."""
        return None

    def waits(self, keys: list[str], first_us: int, minutes: int) -> Array | None:
        """Seconds that a call of each statement waits for other servers, shape (statements, minutes)."""
        return None

    def metrics(self, first_us: int, minutes: int) -> dict[str, Array]:
        """What it adds to the server's counters in each minute."""
        return {}

    def levels(self, at_us: np.ndarray) -> dict[str, Array]:
        """Figures that are read, at each moment."""
        return {}


def spans(server: PracticeServer, first_us: int, minutes: int) -> Iterator[tuple[State, int, int]]:
    """The server's states in the span, each with its first minute and how many it holds for."""
    last_us = first_us + minutes * MINUTE_US
    for a, b in itertools.pairwise([first_us, *server.cuts(first_us, last_us), last_us]):
        yield server.state(a), a, (b - a) // MINUTE_US


def asked_for(server: PracticeServer, first_us: int, minutes: int, per_call: Callable[[State], Array]) -> Array:
    """What a server's calls as they are offered come to per second, shape (figures, minutes).

    ``per_call`` gives for a state what one call of each statement comes to, shape (figures, statements).
    """
    parts = [per_call(state) @ server.offered(state, a, n) for state, a, n in spans(server, first_us, minutes)]
    return np.concatenate(parts, axis=1)
