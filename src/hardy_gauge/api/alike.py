"""The servers of a cluster beside each other: which should look alike, who differs, versions, members, uneven work."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hardy_gauge.api.data import FIGURES, Data
from hardy_gauge.api.levels import RECENT_US
from hardy_gauge.api.window import Span
from hardy_gauge.core.reference.peers import Distance, distances, uneven
from hardy_gauge.core.reference.words import share
from hardy_gauge.store.models import Server

COMPARED = {"active_sessions": "active sessions", "response_s": "time per call", "calls_per_s": "calls"}
# what is next to nothing, in the figure's unit
LEAST = {"active_sessions": 0.05, "response_s": 1e-5, "calls_per_s": 0.1}
MEMBERS = "members_seen"
ONE_OF_A_KIND = frozenset({"primary", "coordinator", "single"})


@dataclass(frozen=True)
class Beside:
    """What a cluster's servers show beside each other: what is ``odd``, and what is well; of each server its distance and
    the names of those that should look like it, by id.
    """

    odd: list[str]
    well: list[str]
    distances: dict[int, Distance]
    peers: dict[int, list[str]]


def group_of(server: Server) -> tuple[object, ...] | None:
    """Servers of one group should look alike: same role, engine and hardware. None for one of a kind."""
    if server.role in ONE_OF_A_KIND:
        return None
    host = server.host
    return server.role, server.engine, host.get("cores"), host.get("memory_bytes")


def groups_of(servers: Sequence[Server]) -> list[list[Server]]:
    found: dict[tuple[object, ...], list[Server]] = {}
    for server in servers:
        group = group_of(server)
        if group is not None:
            found.setdefault(group, []).append(server)
    return list(found.values())


def beside(data: Data, servers: Sequence[Server], span: Span) -> Beside:
    """The servers of one cluster over a span."""
    disagree, agree = _agreement(data, servers, span)
    odd = [*_versions(servers), *disagree]
    peers: dict[int, list[str]] = {}
    found: dict[int, Distance] = {}
    for group in groups_of(servers):
        peers |= {server.id: [other.name for other in group if other is not server] for server in group}
        means = [_means(data, server, span) for server in group]
        told = distances({name: [one[name] for one in means] for name in COMPARED}, LEAST)
        found |= {server.id: one for server, one in zip(group, told, strict=True) if one is not None}
        calls = [(one["calls_per_s"] or 0.0) * span.seconds for one in means]
        more = uneven(calls)
        if more is not None:
            odd.append(
                f"uneven: {group[more[0]].name} does {share(more[1])} of the calls of {len(group)} {group[0].role}s"
            )
    return Beside(odd, agree, found, peers)


def words_of(one: Distance) -> str:
    times = f"{one.times:.2g}×" if one.times >= 1 else f"{share(one.times)} of"
    return f"{times} its peers' {COMPARED[one.figure]}"


def _means(data: Data, server: Server, span: Span) -> dict[str, float | None]:
    """Figures over the span; None where nothing is told."""
    columns = dict.fromkeys(column for name in COMPARED for column in FIGURES[name])
    frame = data.metrics([server.id], span.since_us, span.until_us, columns)
    found: dict[str, float | None] = {}
    for name in COMPARED:
        _, values = data.figure(frame, name)
        values = values[np.isfinite(values)]
        found[name] = float(values.mean()) if len(values) else None
    return found


def _versions(servers: Sequence[Server]) -> list[str]:
    by_version: dict[str, list[str]] = {}
    for server in servers:
        by_version.setdefault(f"{server.engine} {server.engine_version}".strip(), []).append(server.name)
    if len(by_version) < 2:
        return []
    most = max(by_version, key=lambda version: len(by_version[version]))
    others = [
        f"{', '.join(names)} {'runs' if len(names) == 1 else 'run'} {v}" for v, names in by_version.items() if v != most
    ]
    return [f"versions differ: {'; '.join(others)}, the rest {most}"]


def _agreement(data: Data, servers: Sequence[Server], span: Span) -> tuple[list[str], list[str]]:
    """Whether all that tell how many members they see see the same number, and all that are here: words of odds, and of what is well."""
    seen: dict[str, int] = {}
    for server in servers:
        frame = data.metrics([server.id], span.until_us - RECENT_US, span.until_us, [MEMBERS])
        if MEMBERS in frame.columns and len(told := frame[MEMBERS].drop_nulls()):
            seen[server.name] = int(told[-1])
    if len(seen) < 2:
        return [], []
    most = max(seen.values())
    fewer = [f"{name} sees {count}" for name, count in seen.items() if count < most]
    if not fewer:
        return [], [f"all see {most} members"]
    return [f"members disagree: {', '.join(fewer)}, the others {most}"], []
