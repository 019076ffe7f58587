"""Which servers a request may see or change. Within ``reaching``, every query of every session leaves the others out.

The criteria are put on every ORM statement (SQLAlchemy's ``with_loader_criteria``), so that no query can forget them: servers,
whatever belongs to a server, their clusters where it only reads; and trials, which are of no server.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import AbstractContextManager
from contextvars import ContextVar
from dataclasses import dataclass
from functools import cache
from typing import Any

from sqlalchemy import ColumnElement, false, select
from sqlalchemy.orm import ORMExecuteState, Session, with_loader_criteria

from hardy_gauge.context import holding
from hardy_gauge.store.models import Base, Cluster, Server
from hardy_gauge.store.roles import FleetRole, Grant, Role, at_least
from hardy_gauge.store.trial_models import Trial

WHOLE_FLEET = {"whole_fleet": True}
"""Execution options of a query that has to look at all servers: whether a name or an address is taken."""


@dataclass(frozen=True)
class Reach:
    """Numbers of the servers for which somebody has the role ``least``, and of their clusters; without clusters, those are not
    left out: for writes. ``seen`` are the servers they may look at; None for all.
    """

    least: Role
    servers: frozenset[int]
    clusters: frozenset[int] | None
    seen: frozenset[int] | None

    def is_seen(self, server_id: int) -> bool:
        """Whether they may look at a server, though perhaps not change it."""
        return self.seen is None or server_id in self.seen


_reach: ContextVar[Reach | None] = ContextVar("servers within reach", default=None)


def reaching(found: Reach | None) -> AbstractContextManager[None]:
    """Whatever asks the store within sees these servers alone; all of them where it is None."""
    return holding(_reach, found)


def reach() -> Reach | None:
    """What this context may see; None for the whole fleet."""
    return _reach.get()


def reach_of(session: Session, role: FleetRole, grants: tuple[Grant, ...], least: Role, writes: bool) -> Reach:
    """The servers for which one of the grants gives at least this role; ``role`` is the one for the whole fleet."""
    wide = [grant for grant in grants if at_least(grant.role, least)]
    rows = session.execute(
        select(Server.id, Server.cluster_id, Cluster.name, Server.labels).join(Server.cluster),
        execution_options=WHOLE_FLEET,
    )
    known = [(server, cluster, (name, labels)) for server, cluster, name, labels in rows]
    found = [(server, cluster) for server, cluster, of in known if any(grant.fits(*of) for grant in wide)]
    seen = frozenset(server for server, _, of in known if any(grant.fits(*of) for grant in grants))
    clusters = None if writes else frozenset(cluster for _, cluster in found)
    whole = None if at_least(role, "viewer") else seen
    return Reach(least, frozenset(server for server, _ in found), clusters, whole)


def leave_out(state: ORMExecuteState) -> None:
    """Before a statement runs: what is not within reach is left out of it. For the event ``do_orm_execute``."""
    found = _reach.get()
    if (
        found is None
        or state.execution_options.get("whole_fleet")
        or state.is_column_load
        or state.is_relationship_load
    ):
        return
    state.statement = state.statement.options(*_criteria(found))


@cache
def _of_servers() -> tuple[Any, ...]:
    """All tables whose rows belong to a server."""
    kinds = (mapper.class_ for mapper in Base.registry.mappers)
    return tuple(kind for kind in kinds if "server_id" in kind.__mapper__.columns)


def _criteria(found: Reach) -> Iterator[Any]:
    def of(kind: Any, criterion: ColumnElement[bool]) -> Any:
        return with_loader_criteria(kind, criterion, include_aliases=True)

    ids = sorted(found.servers)
    yield of(Server, Server.id.in_(ids))
    for kind in _of_servers():
        yield of(kind, kind.server_id.in_(ids))
    yield of(Trial, false())
    if found.clusters is not None:
        yield of(Cluster, Cluster.id.in_(sorted(found.clusters)))
