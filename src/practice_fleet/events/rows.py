"""Row locks of a run: held by calls, waited for in turn; who would close a circle of waiting is given up."""

from __future__ import annotations

from collections import deque
from collections.abc import Hashable

import simpy

Row = Hashable


class Rows:
    """Each row has one holder and a queue, first come first served; owners are numbers of sessions."""

    def __init__(self, env: simpy.Environment) -> None:
        self.env = env
        self.holders: dict[Row, int] = {}
        self.queues: dict[Row, deque[tuple[int, simpy.Event]]] = {}
        self.waits_for: dict[int, Row] = {}

    def take(self, owner: int, row: Row) -> simpy.Event | None:
        """Nothing when the row is the owner's now, else the event of its turn."""
        if self.holders.setdefault(row, owner) == owner:
            return None
        turn = self.env.event()
        self.queues.setdefault(row, deque()).append((owner, turn))
        self.waits_for[owner] = row
        return turn

    def closes_circle(self, owner: int, row: Row) -> bool:
        """Whether the holder of the row waits, over however many others, for the owner."""
        at: Row | None = row
        seen: set[Row] = set()
        while at is not None and at not in seen:  # others may have a circle of their own that is not found yet
            seen.add(at)
            holder = self.holders.get(at)
            if holder is None or holder == owner:
                return holder == owner
            at = self.waits_for.get(holder)
        return False

    def give_up(self, owner: int, row: Row) -> None:
        """Leave the row's queue."""
        self.waits_for.pop(owner, None)
        self.queues[row] = deque(one for one in self.queues[row] if one[0] != owner)

    def release(self, row: Row) -> None:
        """Hand the row to the next in its queue."""
        queue = self.queues.get(row)
        if not queue:
            del self.holders[row]
            self.queues.pop(row, None)
            return
        owner, turn = queue.popleft()
        self.holders[row] = owner
        self.waits_for.pop(owner, None)
        turn.succeed()
