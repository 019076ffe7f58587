"""Servers that answer in this process: a request to their address is handed to an application, and no network is used."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from typing import Any, Protocol
from urllib.parse import urlsplit

import httpx
from anyio.from_thread import BlockingPortal, start_blocking_portal

from hardy_gauge.probes.transport import TooLarge, Transport


class Wire(Protocol):
    """What a probe over HTTP sends its requests through."""

    def ask(
        self, method: str, url: str, headers: dict[str, str], body: str | None, deadline_s: float, most_bytes: int
    ) -> tuple[int, bytes]: ...

    def close(self) -> None: ...


class InProcess:
    """Requests handed to an ASGI application in a loop of its own; there is no deadline, as nothing can get lost."""

    def __init__(self, application: Any, portal: BlockingPortal) -> None:
        transport = httpx.ASGITransport(application, raise_app_exceptions=False)
        self.client, self.portal = httpx.AsyncClient(transport=transport, timeout=None), portal

    def ask(
        self, method: str, url: str, headers: dict[str, str], body: str | None, deadline_s: float, most_bytes: int
    ) -> tuple[int, bytes]:
        answer = self.portal.call(partial(self.client.request, method, url, headers=headers, content=body))
        if len(answer.content) > most_bytes:
            raise TooLarge(f"larger than {most_bytes} bytes")
        return answer.status_code, answer.content

    def close(self) -> None:
        """Nothing is held open."""


_answering: dict[str, InProcess] = {}


@contextmanager
def answering(address: str, application: Any) -> Iterator[None]:
    """While it lasts, the application answers for every address that begins with this one's host."""
    host = urlsplit(address).netloc
    with start_blocking_portal() as portal:
        _answering[host] = InProcess(application, portal)
        try:
            yield
        finally:
            del _answering[host]


def wire_to(address: str, certificate: str = "") -> Wire:
    """The way to an address: an application of this process where one answers for it, else the network."""
    return _answering.get(urlsplit(address).netloc) or Transport(address, certificate)
