"""What can be done to a practice server through the protocol, with what it costs.

An operation is an influence like a trouble, with its moment given by the clock: it goes on changing the
server's conditions from then on, so that history, live feed and trials all follow.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from hardy_gauge.probes.protocol import Refused
from practice_fleet.conditions import Conditions
from practice_fleet.scenario.data import TableSpec
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.server import PracticeServer
from practice_fleet.troubles.base import Said


@dataclass
class Operation:
    """Something done at ``at_us``; it lasts, and has no end unless its class says so."""

    at_us: int

    def prepare(self, server: PracticeServer) -> None:
        """Look whether it can be done; Refused says why not."""

    def reaches(self, server: PracticeServer) -> list[PracticeServer]:
        """The servers that it changes."""
        return [server]

    def start_us(self, anchor_us: int) -> int:
        return self.at_us

    def end_us(self, anchor_us: int) -> int | None:
        return None

    def is_on(self, at_us: int, anchor_us: int) -> bool:
        end = self.end_us(anchor_us)
        return at_us >= self.at_us and (end is None or at_us < end)

    def stage(self, at_us: int, anchor_us: int) -> int:
        return 0

    def hours(self, at_us: int, anchor_us: int) -> float:
        return (at_us - self.start_us(anchor_us)) / 3.6e9

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        """When it changes what it does."""
        return [self.start_us(anchor_us)]

    def change(self, now: Conditions, hours: float) -> None: ...

    def brings(self, statements: Mapping[str, StatementSpec]) -> dict[str, StatementSpec]:
        return {}

    def levels(self, hours: float) -> dict[str, float]:
        return {}

    def bytes_added(self, tables: Mapping[str, TableSpec], hours: float) -> float:
        """What it added to the data volume after ``hours``."""
        return 0.0

    def says(self, server: str) -> list[Said]:
        return []


def whole_cluster(server: PracticeServer) -> list[PracticeServer]:
    """A server with all that serve the same data; those of a cluster of single servers do not."""
    return [server] if server.spec.role == "single" else [server, *server.peers.values()]


def led_from(server: PracticeServer, what: str) -> None:
    """Refused on a server that has this from another."""
    if server.leader is not None:
        raise Refused(f"{server.spec.name} has its {what} from {server.leader}; do it there", "server")
