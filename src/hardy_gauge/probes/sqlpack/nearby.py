"""Databases on this machine: behind the usual sockets and ports of the engines that packs are for, known by how they greet."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from hardy_gauge.probes.outbound import Endpoint
from hardy_gauge.probes.sqlpack.pack import Pack, shipped
from hardy_gauge.probes.sqlpack.recognise import greets_at_port, greets_at_socket

HERE = "127.0.0.1"
# ports that are tried from the engine's usual one on
PORTS = 5


@dataclass(frozen=True)
class NearbyDatabase:
    """A database that answered here, and the address by which it is connected."""

    engine: str
    address: str
    endpoint: Endpoint


def databases_nearby() -> list[NearbyDatabase]:
    """By port; one that answers at a port is not listed at its socket again."""
    found: list[NearbyDatabase] = []
    for pack in shipped():
        if pack.recognised_by is None:
            continue
        for port in range(pack.port, pack.port + PORTS):
            if greets_at_port(HERE, port, pack.recognised_by):
                address = f"{pack.drivers[0]}://{HERE}:{port}/{pack.database}"
                found.append(NearbyDatabase(pack.engine, address, Endpoint(HERE, port)))
        found += _behind_sockets(pack, {one.endpoint.port for one in found})
    return found


def _behind_sockets(pack: Pack, seen: set[int]) -> list[NearbyDatabase]:
    found: dict[Path, NearbyDatabase] = {}
    for folder in pack.socket_folders:
        for path in sorted(Path(folder).glob(pack.socket_name.format(port="*"))):
            port = path.name.removeprefix(pack.socket_name.format(port=""))
            if not port.isdigit() or int(port) in seen or path.resolve() in found or pack.recognised_by is None:
                continue
            if greets_at_socket(path, pack.recognised_by):
                address = f"{pack.drivers[0]}:///{pack.database}?host={folder}&port={port}"
                found[path.resolve()] = NearbyDatabase(pack.engine, address, Endpoint(folder, int(port)))
    return list(found.values())
