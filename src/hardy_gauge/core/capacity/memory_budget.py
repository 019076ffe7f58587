"""What a server may take of its host's memory: global + sessions × each + running × operations × each must stay below it (common practice)."""

from __future__ import annotations

from dataclasses import dataclass

SYSTEM_BYTES = 512 * 2**20  # what a system takes itself, about
OPERATIONS = 2  # sorts and joins of one statement that hold memory at once, about


@dataclass(frozen=True)
class MemoryBudget:
    """Bytes of a host, of what is global, of each session and of each operation of a running statement."""

    host: float
    shared: float
    session: float
    operation: float

    def taken(self, sessions: float, running: float) -> float:
        """Bytes with so many sessions open, and so many of them at work in operations that hold memory."""
        return SYSTEM_BYTES + self.shared + sessions * self.session + running * OPERATIONS * self.operation

    def most_running(self, sessions: float) -> float:
        """How many may work at once before the host swaps, with so many sessions open; below zero where it swaps with none."""
        left = self.host - self.taken(sessions, 0)
        return left / (OPERATIONS * self.operation) if self.operation else float("inf")

    def largest_operation(self, sessions: float, running: float) -> float:
        """Bytes for each operation that fit; below zero where nothing is left."""
        return (self.host - self.taken(sessions, 0)) / (OPERATIONS * running) if running else float("inf")
