"""Databases on this machine that an administrator may connect: only those that were found here and greet as a database does."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from hardy_gauge.errors import InvalidInput
from hardy_gauge.probes.outbound import Endpoint, policy
from hardy_gauge.probes.sqlpack.nearby import databases_nearby
from hardy_gauge.store.models import Preference

NAME = "databases here"


@dataclass(frozen=True)
class NearbyOut:
    """A database that answers on this machine, and whether it may be connected."""

    engine: str
    address: str
    allowed: bool


def nearby(session: Session, allow: Sequence[str]) -> list[NearbyOut]:
    """The databases that answer here. ``allow``: addresses among them that may be connected from now on; InvalidInput when one
    does not answer here.
    """
    found = {one.address: one for one in databases_nearby()}
    unknown = [address for address in allow if address not in found]
    if unknown:
        raise InvalidInput(f"allow: no database answers on this machine at '{unknown[0]}'", "allow")
    if allow:
        row = session.get(Preference, NAME) or Preference(name=NAME, value={"endpoints": []})
        known = {tuple(one) for one in row.value["endpoints"]}
        known |= {(found[address].endpoint.host, found[address].endpoint.port) for address in allow}
        row.value = {"endpoints": sorted(known)}
        session.add(row)
        allow_stored(session)
    return [
        NearbyOut(one.engine, one.address, one.endpoint in policy().endpoints or _may(one.endpoint))
        for one in found.values()
    ]


def _may(endpoint: Endpoint) -> bool:
    here = policy()
    return any(network.is_loopback for network in here.allow) if endpoint.local else here.allows(endpoint.host)


def allow_stored(session: Session) -> None:
    """Let this process connect to the databases on this machine that an administrator allowed."""
    row = session.get(Preference, NAME)
    if row is not None:
        policy().endpoints |= {Endpoint(str(host), int(port)) for host, port in row.value["endpoints"]}
