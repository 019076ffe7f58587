"""The servers of a cluster beside each other: which should look alike, who differs, versions, members, uneven work."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.figures.minutes import over_span
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


def compare_peers(reader: Reader, servers: Sequence[Server], span: Span) -> PeerComparison:
    """The servers of one cluster over a span."""
    by_version: dict[str, list[str]] = {}
    for server in servers:
        by_version.setdefault(f"{server.engine} {server.engine_version}".strip(), []).append(server.name)
    disagree, agree = agreement_words(_members_seen(reader, servers, span))
    odd = [*version_words(by_version), *disagree]
    peers: dict[int, list[str]] = {}
    found: dict[int, Distance] = {}
    for group in groups_of(servers):
        peers |= {server.id: [other.name for other in group if other is not server] for server in group}
        means = [_figures(reader, server, span) for server in group]
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


def _figures(reader: Reader, server: Server, span: Span) -> dict[str, float | None]:
    """Figures over the span; None where nothing is reported."""
    columns = dict.fromkeys(column for name in COMPARED for column in FIGURES[name].columns)
    frame = reader.counters([server.id], span, columns)
    return {name: over_span(frame, FIGURES[name]) for name in COMPARED}


def _members_seen(reader: Reader, servers: Sequence[Server], span: Span) -> dict[str, int]:
    seen: dict[str, int] = {}
    for server in servers:
        frame = reader.counters([server.id], Span(span.until_us - RECENT_US, span.until_us), [MEMBERS])
        if MEMBERS in frame.columns and len(reported := frame[MEMBERS].drop_nulls()):
            seen[server.name] = int(reported[-1])
    return seen
