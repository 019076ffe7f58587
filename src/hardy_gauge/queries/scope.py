"""Which servers a question is about."""

from __future__ import annotations

from sqlalchemy import Select, select
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


def _whole() -> Select[Server]:
    return select(Server).options(joinedload(Server.cluster), joinedload(Server.capture)).order_by(Server.name)


def _read(reader: Reader, scope: str) -> list[Server]:
    with reader.store.read() as session:
        query = _whole()
        if scope == FLEET:
            return list(session.scalars(query.where(Server.retired_us.is_(None))))
        cluster = session.scalar(select(Cluster).where(Cluster.name == scope))
        if cluster is not None:
            return list(session.scalars(query.where(Server.cluster_id == cluster.id, Server.retired_us.is_(None))))
        find_server(session, scope)
        return list(session.scalars(query.where(Server.name == scope)))


def beside(reader: Reader, server: Server) -> list[Server]:
    """The other servers of its cluster, without those that are retired."""
    with reader.store.read() as session:
        mine = Server.cluster_id == server.cluster_id
        rows = session.scalars(_whole().where(mine, Server.id != server.id, Server.retired_us.is_(None)))
        return list(rows)


def server_named(reader: Reader, name: str) -> Server:
    """One server with all that belongs to it; NotFound names the servers there are."""
    with reader.store.read() as session:
        find_server(session, name)
    return servers_in(reader, name)[0]
