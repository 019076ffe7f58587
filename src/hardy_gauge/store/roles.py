"""Roles: for the whole fleet, for a cluster, or for the servers that carry a label."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal, get_args

Role = Literal["viewer", "engineer", "administrator"]
ROLES: tuple[Role, ...] = get_args(Role)
FleetRole = Literal["none", "viewer", "engineer", "administrator"]
FLEET_ROLES: tuple[FleetRole, ...] = get_args(FleetRole)
GroupKind = Literal["cluster", "label"]
GROUP_KINDS: tuple[GroupKind, ...] = get_args(GroupKind)


@dataclass(frozen=True)
class Grant:
    """A role for the servers of one cluster, or for those that carry one label."""

    kind: GroupKind
    name: str
    role: Role

    def fits(self, cluster: str, labels: Iterable[str]) -> bool:
        """Whether a server is one of them."""
        return self.name == cluster if self.kind == "cluster" else self.name in labels


def at_least(role: FleetRole, least: FleetRole) -> bool:
    """Whether a role may do what ``least`` may."""
    return FLEET_ROLES.index(role) >= FLEET_ROLES.index(least)


def lesser(one: Role, other: FleetRole) -> FleetRole:
    """What two roles both allow."""
    return min(one, other, key=FLEET_ROLES.index)


def role_named(text: str) -> FleetRole:
    """A role as it is stored; StopIteration for anything else."""
    return next(role for role in FLEET_ROLES if role == text)


def grant_of(kind: str, name: str, role: str) -> Grant:
    """A grant as it is stored."""
    return Grant(next(k for k in GROUP_KINDS if k == kind), name, next(r for r in ROLES if r == role))
