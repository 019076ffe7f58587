"""The fleet: every server as one line, the one furthest from its usual range first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from hardy_gauge.core.diagnosis.finding import Finding, Grade
from hardy_gauge.core.figures.gauge import Gauge
from hardy_gauge.core.narrative.capture import CaptureWord
from hardy_gauge.core.narrative.fleet import Stand, Standing, fleet_sentence, server_words, standing_of
from hardy_gauge.core.narrative.peers import distance_words, peers_words
from hardy_gauge.core.reference.shift import Shift
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.queries.activity import doing
from hardy_gauge.queries.findings import roots_in
from hardy_gauge.queries.gauges import RECENT_US, recent_gauges, traces
from hardy_gauge.queries.peer_comparison import PeerComparison, compare_peers, peer_figures
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import FLEET, servers_in
from hardy_gauge.queries.volumes import volumes_of
from hardy_gauge.store.models import Server
from hardy_gauge.store.servers import capture_state

LOOKED_AT_US = 5 * MINUTE_US
GAUGES = ("active_sessions", "response_s")


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


@dataclass(frozen=True)
class _Known:
    """What is known of the servers, by id; ``roots`` by name."""

    gauges: Mapping[str, Mapping[int, Gauge]]
    shifts: Mapping[int, Shift | None]
    states: Mapping[int, tuple[CaptureWord, str]]
    standings: Mapping[int, Standing]
    doing: Mapping[int, str]
    traces: Mapping[int, list[float | None]]
    roots: Mapping[str, Finding]


def distance(line: Line) -> tuple[float, float]:
    """How far a server is from its usual load, alike for more and for less; and then from its peers."""
    return float(abs(np.log(max(line.ratio, 1e-6)))), abs(line.peer_distance or 0.0) if line.unlike else 0.0


def fleet(reader: Reader) -> Fleet:
    """All servers that are not retired, as they are now."""
    servers, now = servers_in(reader, FLEET), reader.clock()
    recent, by_cluster = Span(now - RECENT_US, now), dict[str, list[Server]]()
    for server in servers:
        by_cluster.setdefault(server.cluster.name, []).append(server)
    beside, known = peer_figures(reader, servers, recent), _known(reader, servers, now)
    blocks = []
    for name, group in by_cluster.items():
        peers = compare_peers(group, recent, beside)
        lines = [_line(reader, server, peers, known, now) for server in group]
        lines.sort(key=lambda line: (*(-part for part in distance(line)), line.server))
        blocks.append(ClusterBlock(name, peers.odd, peers.well, lines))
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


def _known(reader: Reader, servers: Sequence[Server], now: int) -> _Known:
    """Each read once, of all servers together."""
    ids = [server.id for server in servers]
    gauges = {name: recent_gauges(reader, ids, name, now) for name in GAUGES}
    shifts = reader.shifts(ids, now)
    states = {server.id: capture_state(server, now, reader.store.health.failure) for server in servers}
    standings = {}
    for i in ids:
        load = gauges["active_sessions"][i]
        standings[i] = standing_of(states[i][0], load.value, load.centre, shifts[i])
    told = [server for server in servers if standings[server.id] in ("unusual", "no range")]
    return _Known(
        gauges, shifts, states, standings, doing(reader, told, Span(now - LOOKED_AT_US, now)), traces(reader, ids, now),
        roots_in(reader, servers, Span(now - RECENT_US, now)),
    )  # fmt: skip


def _line(reader: Reader, server: Server, beside: PeerComparison, known: _Known, now: int) -> Line:
    peer, root = beside.distances.get(server.id), known.roots.get(server.name)
    state, state_words = known.states[server.id]
    load, response = (known.gauges[name][server.id] for name in GAUGES)
    standing = known.standings[server.id]
    shift = known.shifts[server.id] if standing == "unusual" else None
    busy = known.doing.get(server.id, "")
    volumes = volumes_of(reader, server, now)
    return Line(
        server=server.name, role=server.role, engine=server.engine, engine_version=server.engine_version,
        labels=server.labels, words=server_words(standing, state, state_words, load.value, shift, busy),
        standing=standing, unusual=shift is not None, ratio=shift.ratio if shift else 1.0,
        peer_distance=peer.distance if peer else None, unlike=peer is not None and peer.unlike,
        peer_words=distance_words(peer) if peer else "", peers_title=peers_words(peer), peers=beside.peers.get(server.id, []),
        since_us=shift.since_us if shift else None, active_sessions=load,
        response_s=response, trace=known.traces[server.id],
        storage_days_left=min((v.days_left for v in volumes if v.days_left is not None), default=None),
        storage_used_share=max((v.used_bytes / v.capacity_bytes for v in volumes), default=None),
        capture=state, capture_words=state_words, grade=root.grade if root else "fine", finding=root.title if root else "",
    )  # fmt: skip
