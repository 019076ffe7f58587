"""Which addresses the application may open a connection to, and what goes over it.

A name is resolved once; every connection goes to an address that was checked, never to the name.
"""

from __future__ import annotations

import ipaddress
import socket
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import urlsplit

from sqlalchemy import make_url
from sqlalchemy.exc import ArgumentError

from hardy_gauge.errors import AddressNotAllowed, ProbeError
from hardy_gauge.probes.sqlpack.pack import pack_for
from hardy_gauge.settings import AppSettings

Network = ipaddress.IPv4Network | ipaddress.IPv6Network
Ip = ipaddress.IPv4Address | ipaddress.IPv6Address
NAT64 = ipaddress.IPv6Network("64:ff9b::/96")  # RFC 6052: an IPv4 address within
HTTP_PORTS = {"http": 80, "https": 443}
EXPECTED = "http://host:port/servers/name of a probe, postgresql://host:port/database, or sqlite:///file"
HOW = "an operator can allow it where the application is started: HARDY_GAUGE_ALLOW_NETWORKS or --allow-network"


@dataclass(frozen=True)
class Endpoint:
    """A host and port, or the folder of a socket on this machine."""

    host: str
    port: int

    @property
    def local(self) -> bool:
        """Whether it is a socket in a folder."""
        return self.host.startswith("/")

    @property
    def on_this_machine(self) -> bool:
        """Whether what is sent to it leaves this machine never, by its socket or its address."""
        return self.local or self.host == "localhost" or _is_loopback(self.host)

    def __str__(self) -> str:
        return f"[{self.host}]:{self.port}" if ":" in self.host else f"{self.host}:{self.port}"

    def fits(self, entry: str) -> bool:
        """Whether "host", "host:port", "*.domain" or "*.domain:port" names it."""
        host, port = _entry(entry)
        named = self.host == host or (host.startswith("*.") and self.host.endswith(host[1:]))
        return named and port in (None, self.port)


@dataclass(frozen=True)
class Credential:
    """Who signs in. ``plain_text``: it may be sent where nothing is encrypted. ``certificate`` are the authorities that
    are trusted, as PEM; those of the system where it is empty.
    """

    user: str
    secret: str = field(repr=False)
    plain_text: bool = False
    certificate: str = ""


def endpoint_of(address: str) -> Endpoint | None:
    """Where a connection of an address goes; None for a file. ProbeError when the address cannot be read."""
    try:
        if urlsplit(address).scheme in HTTP_PORTS:
            parts = urlsplit(address)
            return Endpoint((parts.hostname or "").rstrip("."), parts.port or HTTP_PORTS[parts.scheme])
        url = make_url(address)
    except (ArgumentError, ValueError) as error:
        raise ProbeError(f"the address is none of: {EXPECTED}") from error
    if url.drivername == "sqlite":
        return None
    given = url.query.get("host", "")
    within = given if isinstance(given, str) else ",".join(given)
    host = url.host or within or "localhost"
    port = url.port or url.query.get("port", "")
    if not host or "," in host or (within and not within.startswith("/")) or (url.host and within):
        raise ProbeError("one host was expected, before the database's name, or the folder of a local socket as ?host=")
    if not isinstance(port, int) and port and not str(port).isdigit():
        raise ProbeError("the port has to be a number")
    pack = pack_for(url.drivername)
    if pack is None:
        raise ProbeError(f"the address is none of: {EXPECTED}")
    return Endpoint(host if within else host.lower().rstrip("."), int(str(port)) if port else pack.port)


def _is_loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False


def _entry(text: str) -> tuple[str, int | None]:
    """Host and port of an entry; "[::1]:5432" for addresses with colons."""
    host, _, port = text.strip().rpartition(":")
    if host and port.isdigit() and (":" not in host or host.startswith("[")):
        return host.strip("[]").lower(), int(port)
    return text.strip().strip("[]").lower() if not text.startswith("/") else text.strip(), None


@dataclass
class OutboundPolicy:
    """``allow``: networks that are special (loopback, link-local and the like) and allowed all the same. ``only``: where
    it is not empty, nothing else is reached. ``endpoints`` are those that the operator named. Files are read below ``files``
    alone, and never in ``private``, where the application keeps its own.
    """

    allow: tuple[Network, ...] = ()
    only: tuple[Network, ...] = ()
    endpoints: set[Endpoint] = field(default_factory=set)
    files: Path | None = None
    private: Path | None = None

    @classmethod
    def of(cls, settings: AppSettings) -> OutboundPolicy:
        """As the application is set up, with the servers that the operator named; the demo's are on this machine."""
        here = ["127.0.0.0/8"] if settings.demo else []
        found = cls(networks([*settings.allow_networks, *here]), networks(settings.only_networks))
        found.files, found.private = settings.files, settings.data
        found.name(settings.servers)
        return found

    def name(self, addresses: Iterable[str]) -> None:
        """Allow the endpoints of addresses that the operator named himself."""
        self.endpoints |= {found for address in addresses if (found := endpoint_of(address)) is not None}

    def file(self, path: Path) -> Path:
        """The file, when it may be read. AddressNotAllowed otherwise, in the same words whether it is there or not."""
        real = path.resolve()
        if self.files is None:
            raise AddressNotAllowed("files are no servers here; an operator can allow a folder: HARDY_GAUGE_FILES")
        private = self.private is not None and real.is_relative_to(self.private.resolve())
        if private or not real.is_relative_to(self.files.resolve()):
            raise AddressNotAllowed("the file is not in the folder of files that may be servers")
        return real

    def resolve(self, endpoint: Endpoint) -> list[str]:
        """The addresses to connect to; AddressNotAllowed when none of them is allowed, ProbeError when there is none."""
        if endpoint.local:
            if endpoint not in self.endpoints and not any(network.is_loopback for network in self.allow):
                raise AddressNotAllowed(f"{endpoint.host} is on this machine, which is not allowed; {HOW} 127.0.0.0/8")
            return []
        try:
            found = socket.getaddrinfo(endpoint.host, endpoint.port, type=socket.SOCK_STREAM)
        except (OSError, UnicodeError) as error:
            raise ProbeError(f"there is no host of the name in {endpoint}") from error
        addresses = list(dict.fromkeys(str(one[4][0]) for one in found))
        allowed = [one for one in addresses if endpoint in self.endpoints or self.allows(one)]
        if not allowed:
            raise AddressNotAllowed(f"{endpoint} is {addresses[0]}, {self._why(addresses[0])}; {HOW} {addresses[0]}")
        return allowed

    def allows(self, address: str) -> bool:
        """Whether an IP address may be connected to."""
        ip = ipaddress.ip_address(address.partition("%")[0])
        if _within(ip, self.allow):
            return True
        return not any(_special(one) for one in _meanings(ip)) and (not self.only or _within(ip, self.only))

    @staticmethod
    def _why(address: str) -> str:
        special = _special(ipaddress.ip_address(address.partition("%")[0]))
        return f"{special}, which is not allowed" if special else "in none of the allowed networks"


def networks(texts: Iterable[str]) -> tuple[Network, ...]:
    """Networks such as 10.0.0.0/8; ValueError names the one that is none."""
    return tuple(ipaddress.ip_network(text.strip(), strict=False) for text in texts)


def _within(ip: Ip, found: Iterable[Network]) -> bool:
    return any(ip in network for network in found if network.version == ip.version)


def _meanings(ip: Ip) -> list[Ip]:
    """The address, and the IPv4 address that it leads to, if it does; one that is only written as IPv6 is that."""
    if isinstance(ip, ipaddress.IPv4Address):
        return [ip]
    if ip.ipv4_mapped is not None:
        return [ip.ipv4_mapped]
    inner = ip.sixtofour
    if inner is None and ip in NAT64:
        inner = ipaddress.IPv4Address(int(ip) & 0xFFFFFFFF)
    return [ip] if inner is None else [ip, inner]


def _special(ip: Ip) -> str:
    kinds = {
        "this machine": ip.is_loopback or ip.is_unspecified, "a link-local address": ip.is_link_local,
        "a multicast address": ip.is_multicast, "a reserved address": ip.is_reserved and ip not in NAT64,
    }  # fmt: skip
    return next((words for words, fits in kinds.items() if fits), "")


_policy: OutboundPolicy | None = None


def use(policy: OutboundPolicy) -> None:
    """From now on this process keeps to ``policy``."""
    global _policy
    _policy = policy


def policy() -> OutboundPolicy:
    """What this process keeps to: by default as its environment says."""
    global _policy
    if _policy is None:
        _policy = OutboundPolicy.of(AppSettings())
    return _policy
