"""Which servers a question is about."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import joinedload

from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Cluster, Server
from hardy_gauge.store.reach import reach
from hardy_gauge.store.servers import find_server

FLEET = "fleet"


def servers_in(reader: Reader, scope: str) -> list[Server]:
    """The servers of a scope: "fleet", a cluster's name, or a server's name. A retired one only by its name."""
    if scope == FLEET and reach() is None:
        return list(reader.kept_as((FLEET,), reader.store.health.writes, lambda: _read(reader, FLEET)))
    return _read(reader, scope)


def _read(reader: Reader, scope: str) -> list[Server]:
    with reader.store.read() as session:
        query = select(Server).options(joinedload(Server.cluster), joinedload(Server.capture)).order_by(Server.name)
        if scope == FLEET:
            return list(session.scalars(query.where(Server.retired_us.is_(None))))
        cluster = session.scalar(select(Cluster).where(Cluster.name == scope))
        if cluster is not None:
            return list(session.scalars(query.where(Server.cluster_id == cluster.id, Server.retired_us.is_(None))))
        find_server(session, scope)
        return list(session.scalars(query.where(Server.name == scope)))


def server_named(reader: Reader, name: str) -> Server:
    """One server with all that belongs to it; NotFound names the servers there are."""
    with reader.store.read() as session:
        find_server(session, name)
    return servers_in(reader, name)[0]
