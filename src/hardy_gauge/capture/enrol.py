"""Take servers into the fleet from the addresses of their probes."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.protocol import Identity
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState, Cluster, Server, Snapshot


@dataclass(frozen=True)
class Enrolled:
    """A server of the fleet, the probe that reads it, and who it said it was."""

    server_id: int
    name: str
    probe: HttpProbe
    identity: Identity


def enrol(store: Store, addresses: list[str]) -> list[Enrolled]:
    """Store or refresh the servers behind the addresses; ProbeError when one does not answer."""
    found = []
    for address in addresses:
        probe = HttpProbe(address)
        identity, host = probe.identity(), probe.host()
        with store.write() as session:
            cluster = session.scalar(select(Cluster).where(Cluster.name == identity.cluster))
            if cluster is None:
                cluster = Cluster(name=identity.cluster)
                session.add(cluster)
                session.flush()
            server = session.scalar(select(Server).where(Server.name == identity.server))
            if server is None:
                server = Server(name=identity.server, cluster_id=cluster.id)
                server.capture = CaptureState()
                session.add(server)
            server.role, server.engine, server.engine_version = identity.role, identity.engine, identity.engine_version
            server.address, server.abilities, server.host = address, list(identity.abilities), host.model_dump()
            session.flush()
            for kind, read in (("settings", probe.settings), ("schema", probe.schema)):
                if kind in identity.abilities and session.get(Snapshot, (server.id, kind)) is None:
                    session.add(
                        Snapshot(server_id=server.id, kind=kind, taken_us=identity.clock_us, body=read().model_dump())
                    )
            found.append(Enrolled(server.id, server.name, probe, identity))
    return found


def discover(base: str) -> list[str]:
    """Addresses of all servers that answer under one base address."""
    probe = HttpProbe(base)
    try:
        return [f"{base}/servers/{name}" for name in probe.list_servers()]
    finally:
        probe.close()
