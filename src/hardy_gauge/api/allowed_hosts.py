"""Under which names the application answers: a page of somebody else's name must not reach it through a browser."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from hardy_gauge.api.problems import answer

LOOPBACK = frozenset(("localhost", "127.0.0.1", "[::1]"))


def is_loopback(host: str) -> bool:
    """Whether an address to listen on is reached from this machine alone."""
    return host == "localhost" or (_ip(host) is not None and ipaddress.ip_address(host).is_loopback)


def _ip(host: str) -> ipaddress.IPv4Address | ipaddress.IPv6Address | None:
    try:
        return ipaddress.ip_address(host.strip("[]"))
    except ValueError:
        return None


class AllowedHosts:
    """ASGI middleware. Loopback names always; where it listens for others, IP addresses too (a name that is made to lead here
    is none) and the names that were given.
    """

    def __init__(self, app: ASGIApp, host: str, names: Iterable[str]) -> None:
        self.app, self.names, self.open = app, LOOPBACK | {name.lower() for name in names}, not is_loopback(host)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or self._known(Headers(scope=scope).get("host", "")):
            await self.app(scope, receive, send)
            return
        detail = (
            "host: it does not answer under this name; HARDY_GAUGE_ALLOWED_HOSTS lists those that it is to answer under"
        )
        await answer(421, "Not this host", detail, "host")(scope, receive, send)

    def _known(self, host: str) -> bool:
        name = host.lower()
        if not name.endswith("]"):
            name = name.rpartition(":")[0] if name.rpartition(":")[2].isdigit() and ":" in name else name
        return name in self.names or (self.open and _ip(name) is not None)
