"""The fleet: every server as one line, the one furthest from its usual range first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hardy_gauge.core.diagnosis.finding import Finding, Grade
from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.figures.gauge import Gauge
from hardy_gauge.core.narrative.capture import CaptureWord
from hardy_gauge.core.narrative.fleet import Stand, Standing, fleet_sentence, server_words, standing_of
from hardy_gauge.core.narrative.peers import distance_words, peers_words
from hardy_gauge.core.time.span import DAY_US, MINUTE_US, Span
from hardy_gauge.queries.activity import doing
from hardy_gauge.queries.findings import roots_in
from hardy_gauge.queries.gauges import RECENT_US, recent_gauge, trace
from hardy_gauge.queries.peer_comparison import MEMBERS, PeerComparison, compare_peers
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import FLEET, servers_in
from hardy_gauge.queries.volumes import volumes_of
from hardy_gauge.store.models import Server
from hardy_gauge.store.servers import capture_state

LOOKED_AT_US = 5 * MINUTE_US


@dataclass(frozen=True)
class Line:
    """One server; ``ratio`` to its usual load is 1 where it is not unusual. ``finding`` is its most important one that asks for
    something (empty: none), with its grade.
    """

    server: str
    role: str
    engine: str
    engine_version: str
    labels: list[str]
    words: str
    standing: Standing
    unusual: bool
    ratio: float
    peer_distance: float | None
    unlike: bool
    peer_words: str
    peers_title: str
    peers: list[str]
    since_us: int | None
    active_sessions: Gauge
    response_s: Gauge
    trace: list[float | None]
    storage_days_left: float | None
    storage_used_share: float | None
    capture: CaptureWord
    capture_words: str
    grade: Grade
    finding: str


@dataclass(frozen=True)
class ClusterBlock:
    """``odd`` and ``well`` are words about its servers beside each other: versions, agreement of members, uneven work."""

    cluster: str
    odd: list[str]
    well: list[str]
    lines: list[Line]


@dataclass(frozen=True)
class Fleet:
    """All servers by cluster, the furthest from usual first."""

    now_us: int
    sentence: str
    unusual: int
    unlike: int
    servers: int
    labels: list[str]
    clusters: list[ClusterBlock]


def distance(line: Line) -> tuple[float, float]:
    """How far a server is from its usual load, alike for more and for less; and then from its peers."""
    return float(abs(np.log(max(line.ratio, 1e-6)))), abs(line.peer_distance or 0.0) if line.unlike else 0.0


def fleet(reader: Reader) -> Fleet:
    """All servers that are not retired, as they are now."""
    servers, now = servers_in(reader, FLEET), reader.clock()
    columns = (c for name in ("active_sessions", "response_s", "calls_per_s") for c in FIGURES[name].columns)
    with reader.read_ahead([server.id for server in servers], Span(now - DAY_US, now), [*columns, MEMBERS]):
        return _fleet(reader, servers, now)


def _fleet(reader: Reader, servers: Sequence[Server], now: int) -> Fleet:
    by_cluster: dict[str, list[Server]] = {}
    roots = roots_in(reader, servers, Span(now - RECENT_US, now))
    for server in servers:
        by_cluster.setdefault(server.cluster.name, []).append(server)
    blocks = []
    for name, group in by_cluster.items():
        beside = compare_peers(reader, group, Span(now - RECENT_US, now))
        lines = [_line(reader, server, beside, roots.get(server.name), now) for server in group]
        lines.sort(key=lambda line: (*(-part for part in distance(line)), line.server))
        blocks.append(ClusterBlock(name, beside.odd, beside.well, lines))
    blocks.sort(key=lambda block: (*(-part for part in distance(block.lines[0])), block.cluster))
    lines = [line for block in blocks for line in block.lines]
    unusual = [line for line in lines if line.unusual]
    first = max(unusual, key=distance, default=None)
    stands = [_stand(line) for line in lines]
    return Fleet(
        now_us=now, sentence=fleet_sentence(stands, _stand(first) if first else None), unusual=len(unusual),
        unlike=sum(line.unlike for line in lines), servers=len(servers),
        labels=sorted({label for server in servers for label in server.labels}), clusters=blocks,
    )  # fmt: skip


def _stand(line: Line) -> Stand:
    return Stand(line.server, line.standing, line.capture, line.words, line.peer_words if line.unlike else "")


def _line(reader: Reader, server: Server, beside: PeerComparison, root: Finding | None, now: int) -> Line:
    peer = beside.distances.get(server.id)
    state, state_words = capture_state(server, now, reader.store.health.failure)
    load = recent_gauge(reader, server.id, "active_sessions", now)
    shift = reader.shift(server.id, now)
    standing = standing_of(state, load.value, load.centre, shift)
    shift = shift if standing == "unusual" else None
    busy = doing(reader, server, Span(now - LOOKED_AT_US, now)) if standing in ("unusual", "no range") else ""
    volumes = volumes_of(reader, server, now)
    return Line(
        server=server.name, role=server.role, engine=server.engine, engine_version=server.engine_version,
        labels=server.labels, words=server_words(standing, state, state_words, load.value, shift, busy),
        standing=standing, unusual=shift is not None, ratio=shift.ratio if shift else 1.0,
        peer_distance=peer.distance if peer else None, unlike=peer is not None and peer.unlike,
        peer_words=distance_words(peer) if peer else "", peers_title=peers_words(peer), peers=beside.peers.get(server.id, []),
        since_us=shift.since_us if shift else None, active_sessions=load,
        response_s=recent_gauge(reader, server.id, "response_s", now), trace=trace(reader, server.id, now),
        storage_days_left=min((v.days_left for v in volumes if v.days_left is not None), default=None),
        storage_used_share=max((v.used_bytes / v.capacity_bytes for v in volumes), default=None),
        capture=state, capture_words=state_words, grade=root.grade if root else "fine", finding=root.title if root else "",
    )  # fmt: skip
