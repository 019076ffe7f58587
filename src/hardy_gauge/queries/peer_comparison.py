"""The servers of a cluster beside each other: which should look alike, who differs, versions, members, uneven work."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.figures.minutes import over_span_by_server
from hardy_gauge.core.narrative.peers import agreement_words, slowest_words, uneven_words, version_words
from hardy_gauge.core.reference.peers import Distance, distances, slowest, uneven
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.levels import RECENT_US
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server

COMPARED = ("active_sessions", "response_s", "calls_per_s")
MEMBERS = "members_seen"
WORKER = "worker"
ONE_OF_A_KIND = frozenset({"primary", "coordinator", "single"})


@dataclass(frozen=True)
class PeerComparison:
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
    """The groups of a cluster, without those that are one of a kind."""
    found: dict[tuple[object, ...], list[Server]] = {}
    for server in servers:
        group = group_of(server)
        if group is not None:
            found.setdefault(group, []).append(server)
    return list(found.values())


@dataclass(frozen=True)
class PeerFigures:
    """By server id: each figure that is compared (None where nothing is reported), and how many members it saw last."""

    figures: Mapping[int, Mapping[str, float | None]]
    members_seen: Mapping[int, int]


def peer_figures(reader: Reader, servers: Sequence[Server], span: Span) -> PeerFigures:
    """Of servers of any clusters over a span, from one read."""
    columns = dict.fromkeys(column for name in COMPARED for column in FIGURES[name].columns)
    frame = reader.counters([server.id for server in servers], span, [*columns, MEMBERS])
    found = {name: over_span_by_server(frame, FIGURES[name]) for name in COMPARED}
    figures = {server.id: {name: found[name].get(server.id) for name in COMPARED} for server in servers}
    if MEMBERS not in frame.columns:
        return PeerFigures(figures, {})
    recent = frame.filter(pl.col("at_us") >= span.until_us - RECENT_US).drop_nulls(MEMBERS)
    last = recent.group_by("server_id", maintain_order=True).agg(pl.col(MEMBERS).last())
    return PeerFigures(figures, {server_id: int(seen) for server_id, seen in last.iter_rows()})


def compare_peers(servers: Sequence[Server], span: Span, beside: PeerFigures) -> PeerComparison:
    """The servers of one cluster over the span of the figures."""
    by_version: dict[str, list[str]] = {}
    for server in servers:
        by_version.setdefault(f"{server.engine} {server.engine_version}".strip(), []).append(server.name)
    seen = {server.name: beside.members_seen[server.id] for server in servers if server.id in beside.members_seen}
    disagree, agree = agreement_words(seen)
    odd = [*version_words(by_version), *disagree]
    peers: dict[int, list[str]] = {}
    found: dict[int, Distance] = {}
    for group in groups_of(servers):
        peers |= {server.id: [other.name for other in group if other is not server] for server in group}
        means = [beside.figures[server.id] for server in group]
        reported = distances(
            {name: [one[name] for one in means] for name in COMPARED}, {name: FIGURES[name].least for name in COMPARED}
        )
        found |= {server.id: one for server, one in zip(group, reported, strict=True) if one is not None}
        late = slowest([one["response_s"] for one in means]) if group[0].role == WORKER else None
        if late is not None:
            odd.append(slowest_words(group[late[0]].name, late[1], WORKER))
        more = uneven([(one["calls_per_s"] or 0.0) * span.seconds for one in means])
        if more is not None:
            odd.append(uneven_words(group[more[0]].name, more[1], len(group), group[0].role))
    return PeerComparison(odd, agree, found, peers)
