"""Take servers into the fleet from the addresses of their probes."""

from __future__ import annotations

from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.capture.access import APPLICATION, AccountUser, opened, pair_server
from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.protocol import Host, Identity, Probe
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Account, CaptureState, Cluster, Server, Snapshot


@dataclass(frozen=True)
class Registration:
    """A server to take in; an empty name or cluster is what the server calls itself."""

    address: str
    name: str = ""
    cluster: str = ""
    labels: list[str] = field(default_factory=list)
    account: str = ""


@dataclass(frozen=True)
class RegisteredServer:
    """A server of the fleet, the probe that reads it, and who it said it was."""

    server_id: int
    name: str
    probe: Probe
    identity: Identity


def register(
    store: Store, joining: list[str] | list[Registration], user: AccountUser = APPLICATION
) -> list[RegisteredServer]:
    """Store or refresh the servers behind the addresses; ProbeError when one does not answer, and nothing of it is
    stored then. A server that was retired comes back. ``user`` lets accounts be used.
    """
    found = []
    for one in joining:
        wanted = Registration(one) if isinstance(one, str) else one
        with store.read() as session:
            account = named_account(session, wanted.account)
        probe = opened(store, wanted.address, account, user=user)
        identity, host = probe.identity(), probe.host()
        bodies = {
            kind: read().model_dump()
            for kind, read in (("settings", probe.settings), ("schema", probe.schema))
            if kind in identity.abilities
        }
        with store.write() as session:
            server = _row(session, wanted, identity, host, account)
            pair_server(session, server, user)
            for kind, body in bodies.items():
                if session.get(Snapshot, (server.id, kind)) is None:
                    session.add(Snapshot(server_id=server.id, kind=kind, taken_us=identity.clock_us, body=body))
            found.append(RegisteredServer(server.id, server.name, probe, identity))
    return found


def named_account(session: Session, name: str) -> Account | None:
    return session.scalar(select(Account).where(Account.name == name)) if name else None


def cluster_named(session: Session, name: str) -> Cluster:
    cluster = session.scalar(select(Cluster).where(Cluster.name == name))
    if cluster is None:
        cluster = Cluster(name=name)
        session.add(cluster)
        session.flush()
    return cluster


def _row(session: Session, wanted: Registration, identity: Identity, host: Host, account: Account | None) -> Server:
    name = wanted.name or identity.server
    by_address = select(Server).where(Server.address == wanted.address)
    server = session.scalar(by_address) or session.scalar(select(Server).where(Server.name == name))
    if server is None:
        server = Server(name=name, cluster_id=cluster_named(session, wanted.cluster or identity.cluster).id)
        server.capture = CaptureState()
        session.add(server)
    if wanted.labels:
        server.labels = sorted(set(wanted.labels))
    if account is not None:
        server.account_id = account.id
    server.role, server.engine, server.engine_version = identity.role, identity.engine, identity.engine_version
    server.address, server.abilities, server.host = wanted.address, list(identity.abilities), host.model_dump()
    server.retired_us = None
    session.flush()
    return server


def discover(base: str) -> list[str]:
    """Addresses of all servers that answer under one base address of the protocol over HTTP."""
    probe = HttpProbe(base)
    try:
        return [f"{base}/servers/{name}" for name in probe.list_servers()]
    finally:
        probe.close()
