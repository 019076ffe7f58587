"""Between applications and server: the network, the pooler in front, and applications that all connect at once."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from practice_fleet.conditions import Conditions
from practice_fleet.troubles.base import BaseTrouble, Said

CONNECT_S = 0.006  # processor seconds to open a session: common practice, a few milliseconds
RETRANSMIT_S = (
    0.2  # the least time before a lost packet is sent again (RFC 6298 asks for 1 s; common systems use 0.2 s)
)


class NetworkSlow(BaseTrouble):
    """The network to the applications loses packets or takes a longer way: every call waits to send its rows."""

    cause: Literal["network_slow"]
    size: float = Field(30, gt=1, description="time of one trip ÷ time before")
    loss: float = Field(0.01, ge=0, lt=0.5, description="share of the packets that are lost")

    def change(self, now: Conditions, hours: float) -> None:
        host = now.host
        trip = host.network_latency_s * self.size
        lost = self.loss / (1 - self.loss)
        # throughput with losses: M. Mathis and others, "The macroscopic behavior of the TCP congestion avoidance algorithm" (1997)
        most = 1460 / max(trip, 1e-6) * 1.22 / max(self.loss, 1e-9) ** 0.5
        now.host = host.model_copy(
            update={
                "network_latency_s": trip + RETRANSMIT_S * lost,
                "network_bytes_per_s": min(host.network_bytes_per_s, int(most)),
            }
        )
        now.retransmitted_share = self.loss


class PoolerTooSmall(BaseTrouble):
    """A pooler in front of the server lets in too few sessions: calls queue there, where the server does not see them."""

    cause: Literal["pooler_too_small"]
    size: int = Field(4, ge=1, description="sessions of the pool")

    def change(self, now: Conditions, hours: float) -> None:
        now.pool_sessions = self.size


class ConnectionStorm(BaseTrouble):
    """After a time-out every application connects anew at once, again and again: sessions are opened instead of used."""

    cause: Literal["connection_storm"]
    size: float = Field(150, gt=0, description="sessions that are opened per second")

    def change(self, now: Conditions, hours: float) -> None:
        most = float(now.settings["max_sessions"])
        now.background_cores += min(now.host.cores * 0.8, self.size * CONNECT_S)
        now.sessions = min(most, now.sessions * 3)
        now.count("connections_opened", self.size)
        now.count("sessions_refused", self.size * max(0.0, 1 - most / (now.sessions * 3)))

    def says(self, server: str) -> list[Said]:
        return [Said(2 + n, "error", "a client went away before its session was ready") for n in range(20)]
