"""Which engine listens at an address that was taken for something else, as far as packs say how it is known."""

from __future__ import annotations

import socket
from contextlib import suppress
from pathlib import Path
from urllib.parse import urlsplit

from hardy_gauge.errors import ProbeError
from hardy_gauge.probes.outbound import Endpoint, policy
from hardy_gauge.probes.sqlpack.pack import Greeting, pack_for, shipped

DEADLINE_S = 2.0


def recognised(address: str) -> str | None:
    """The engine of an address, such as "postgresql", from its scheme or from what answers at its port; None when it is
    not known. Waits two seconds at most for each engine.
    """
    try:
        url = urlsplit(address)
        host, port = url.hostname, url.port
    except ValueError:
        return None
    named = pack_for(url.scheme)
    if named is not None:
        return named.engine
    if host is None or port is None:
        return None
    packs = ((pack.engine, pack.recognised_by) for pack in shipped())
    return next((engine for engine, greeting in packs if greeting and _answers(host, port, greeting)), None)


def _answers(host: str, port: int, greeting: Greeting) -> bool:
    with suppress(OSError, ProbeError):
        return greets_at_port(policy().resolve(Endpoint(host, port))[0], port, greeting)
    return False


def greets_at_port(address: str, port: int, greeting: Greeting) -> bool:
    """Whether the engine of the greeting answers at an IP address and port."""
    with suppress(OSError), socket.create_connection((address, port), timeout=DEADLINE_S) as line:
        return _greets(line, greeting)
    return False


def greets_at_socket(path: Path, greeting: Greeting) -> bool:
    """Whether it answers behind a socket of this machine."""
    with suppress(OSError), socket.socket(socket.AF_UNIX) as line:
        line.settimeout(DEADLINE_S)
        line.connect(str(path))
        return _greets(line, greeting)
    return False


def _greets(line: socket.socket, greeting: Greeting) -> bool:
    line.settimeout(DEADLINE_S)
    line.sendall(bytes.fromhex(greeting.send))
    return line.recv(1).hex() in greeting.answers
