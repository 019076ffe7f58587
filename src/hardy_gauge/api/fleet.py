"""The fleet: every server as one line, the one furthest from its usual range first."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from fastapi import APIRouter
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from hardy_gauge.api.alike import MEMBERS, beside
from hardy_gauge.api.alike import words_of as peer_words
from hardy_gauge.api.data import FIGURES, CurrentData, Data
from hardy_gauge.api.problems import Problem
from hardy_gauge.api.samples import read_samples
from hardy_gauge.api.volumes import volumes_of
from hardy_gauge.api.window import Span, servers_in
from hardy_gauge.capture.wanted import BUNDLE, IMPORT
from hardy_gauge.core.activity.ledger import accounts
from hardy_gauge.core.reference.shift import Shift
from hardy_gauge.core.reference.usual_range import word
from hardy_gauge.core.reference.words import clock, day_clock
from hardy_gauge.store.models import Preference, Server

router = APIRouter(tags=["fleet"])
MINUTE_US = 60_000_000
DAY_US = 86_400_000_000
RECENT_US = 10 * MINUTE_US
IDLE = 0.005
TRACE_POINTS = 96
USUAL_POINTS = 48
STALE_US = 3 * MINUTE_US

DOING = {
    "processor": "working", "data read": "reading data", "data write": "writing data", "log write": "writing the log",
    "row lock": "waiting for row locks", "object lock": "waiting for object locks",
    "internal latch": "waiting for latches", "memory": "waiting for memory",
    "temporary space": "using temporary space", "client": "waiting for clients", "replication": "waiting for replicas",
    "other": "waiting for other things",
}  # fmt: skip


class GaugeFigure(BaseModel):
    """A figure with its usual range; ``word`` says where it lies."""

    value: float | None
    low: float | None
    centre: float | None
    high: float | None
    word: str


class Line(BaseModel):
    server: str
    role: str
    engine: str
    engine_version: str
    labels: list[str]
    words: str
    unusual: bool
    ratio: float
    peer_distance: float | None
    unlike: bool
    peer_words: str
    peers: list[str]
    since_us: int | None
    active_sessions: GaugeFigure
    response_s: GaugeFigure
    trace: list[float | None]
    storage_days_left: float | None
    storage_used_share: float | None
    capture: CaptureWord
    capture_words: str


class ClusterBlock(BaseModel):
    """``odd`` and ``well`` are words about its servers beside each other: versions, agreement of members, uneven work."""

    cluster: str
    odd: list[str]
    well: list[str]
    lines: list[Line]


class Fleet(BaseModel):
    now_us: int
    sentence: str
    unusual: int
    unlike: int
    servers: int
    labels: list[str]
    clusters: list[ClusterBlock]


def gauge(data: Data, server_id: int, name: str, until_us: int) -> GaugeFigure:
    """A figure's mean over the last ten minutes with its usual range now."""
    return gauge_over(data, server_id, name, Span(until_us - RECENT_US, until_us))


def gauge_over(data: Data, server_id: int, name: str, span: Span) -> GaugeFigure:
    _, values = data.figure(data.metrics([server_id], span.since_us, span.until_us, FIGURES[name]), name)
    values = values[np.isfinite(values)]
    moments = np.linspace(span.since_us, span.until_us, USUAL_POINTS).astype(np.int64)
    low, centre, high = (
        float(np.nanmean(a)) if np.isfinite(a).any() else math.nan for a in data.usual(server_id, name).at(moments)
    )
    value = float(values.mean()) if len(values) else None
    said = "not recorded" if value is None else word(value, low, high)
    bounds = [b if np.isfinite(b) else None for b in (low, centre, high)]
    return GaugeFigure(value=value, low=bounds[0], centre=bounds[1], high=bounds[2], word=said)


def doing(data: Data, server: Server, span: Span) -> str:
    """What most of the time goes to, in words."""
    samples = read_samples(data, [server], span, ["wait_family"])
    rows = accounts(samples, ["wait_family"], max(1, int(span.seconds)))
    return DOING.get(rows["wait_family"][0], "busy") if len(rows) else "idle"


def words_of(data: Data, server: Server, shift: Shift | None, now: int) -> str:
    if shift is None:
        recent = gauge(data, server.id, "active_sessions", now)
        if recent.value is not None and recent.value < IDLE:
            return "idle"
        if recent.centre is None:
            mostly = doing(data, server, Span(now - RECENT_US, now))
            return f"{mostly}; no usual range yet" if recent.value is not None else "nothing recorded yet"
        return "as usual"
    activity = doing(data, server, Span(max(shift.since_us, now - 60 * MINUTE_US), now))
    return f"{shift.ratio:.2g}× usual, {activity}, since {clock(shift.since_us)}"


def trace(data: Data, server_id: int, now: int) -> list[float | None]:
    """The last day's active sessions in 96 quarters of an hour."""
    times, values = data.figure(
        data.metrics([server_id], now - DAY_US, now, FIGURES["active_sessions"]), "active_sessions"
    )
    good = np.isfinite(values)
    place = np.clip((times[good] - (now - DAY_US)) * TRACE_POINTS // DAY_US, 0, TRACE_POINTS - 1).astype(np.int64)
    count, total = (np.bincount(place, weights=w, minlength=TRACE_POINTS) for w in (None, values[good]))
    return [float(t / n) if n else None for t, n in zip(total, count, strict=True)]


CaptureWord = Literal["recording", "stale", "failing", "waiting", "paused", "retired", "opened"]


def capture_state(server: Server, now: int) -> tuple[CaptureWord, str]:
    """What is done about a server, and in words."""
    state = server.capture
    if server.retired_us is not None:
        return "retired", f"retired {day_clock(server.retired_us)}"
    if server.address.startswith(BUNDLE):
        return "opened", f"from a bundle, until {day_clock(state.recorded_until_us)}"
    if server.address.startswith(IMPORT):
        return "opened", f"brought in from files, until {day_clock(state.recorded_until_us)}"
    if state.doing == "reading":
        return "paused", state.why or "nothing new is recorded, by its rule"
    if state.error:
        since = f"since {clock(state.seen_us)}: " if state.seen_us else ""
        return "failing", f"no answer {since}{state.error}"
    if not state.recorded_until_us:
        return "waiting", "nothing recorded yet"
    if now - state.recorded_until_us > STALE_US:
        return "stale", f"last recorded {clock(state.recorded_until_us)}"
    return "recording", "recording"


def distance(line: Line) -> tuple[float, float]:
    """How far a server is from its usual load, alike for more and for less; and then from its peers."""
    return float(abs(np.log(max(line.ratio, 1e-6)))), abs(line.peer_distance or 0.0) if line.unlike else 0.0


@router.get("/fleet")
def fleet(data: CurrentData) -> Fleet:
    servers = servers_in(data, "fleet")
    now = data.clock()
    columns = (c for name in ("active_sessions", "response_s", "calls_per_s") for c in FIGURES[name])
    with data.read_ahead([server.id for server in servers], now - DAY_US, now, [*columns, MEMBERS]):
        return _fleet(data, servers, now)


def _fleet(data: Data, servers: list[Server], now: int) -> Fleet:
    blocks: dict[str, list[Line]] = {}
    by_cluster: dict[str, list[Server]] = {}
    for server in servers:
        by_cluster.setdefault(server.cluster.name, []).append(server)
    seen = {name: beside(data, group, Span(now - RECENT_US, now)) for name, group in by_cluster.items()}
    for server in servers:
        peer = seen[server.cluster.name].distances.get(server.id)
        shift = data.shift(server.id)
        volumes = volumes_of(data, server, now)
        state, state_words = capture_state(server, now)
        blocks.setdefault(server.cluster.name, []).append(
            Line(
                server=server.name, role=server.role, engine=server.engine, labels=server.labels,
                engine_version=server.engine_version, peer_distance=peer.distance if peer else None,
                unlike=peer is not None and peer.unlike, peer_words=peer_words(peer) if peer else "",
                peers=seen[server.cluster.name].peers.get(server.id, []),
                words=state_words if state == "failing" else words_of(data, server, shift, now), unusual=shift is not None,
                ratio=shift.ratio if shift else 1.0, since_us=shift.since_us if shift else None,
                active_sessions=gauge(data, server.id, "active_sessions", now),
                response_s=gauge(data, server.id, "response_s", now), trace=trace(data, server.id, now),
                storage_days_left=min((v.days_left for v in volumes if v.days_left is not None), default=None),
                storage_used_share=max((v.used_bytes / v.capacity_bytes for v in volumes), default=None), capture=state, capture_words=state_words,
            )
        )  # fmt: skip
    for lines in blocks.values():
        lines.sort(key=lambda line: (*(-part for part in distance(line)), line.server))
    ordered = sorted(
        (
            ClusterBlock(cluster=name, odd=seen[name].odd, well=seen[name].well, lines=lines)
            for name, lines in blocks.items()
        ),
        key=lambda block: (*(-part for part in distance(block.lines[0])), block.cluster),
    )
    unusual = [line for block in ordered for line in block.lines if line.unusual]
    unlike = [line for block in ordered for line in block.lines if line.unlike]
    return Fleet(
        now_us=now, sentence=sentence_of(unusual, unlike, len(servers)), unusual=len(unusual), unlike=len(unlike),
        servers=len(servers), labels=sorted({label for server in servers for label in server.labels}), clusters=ordered,
    )  # fmt: skip


def sentence_of(unusual: list[Line], unlike: list[Line], count: int) -> str:
    if not count:
        return "No server is recorded yet. Start with `hardy-gauge serve --server ADDRESS`."
    if not unusual:
        odd = f"; {unlike[0].server} has {unlike[0].peer_words}" if unlike else ""
        return f"All {count} servers work as usual for this hour{odd}."
    first = max(unusual, key=distance)
    rest = f"; {len(unusual) - 1} more differ" if len(unusual) > 1 else f"; the other {count - 1} work as usual"
    return f"{first.server} is at {first.words}{rest}."


class View(BaseModel):
    """A saved view of the Fleet: what stands in the address after the question mark."""

    name: str = Field(min_length=1, max_length=60, pattern=r"^[^\s/][^/]*$")
    query: str = Field(max_length=500, pattern=r"^[^#?\s]*$")


VIEWS = "fleet views"
MOST_VIEWS = 100


def _views(session: Session) -> list[View]:
    row = session.get(Preference, VIEWS)
    return [] if row is None else [View(name=name, query=query) for name, query in sorted(row.value.items())]


@router.get("/fleet/views")
def views(data: CurrentData) -> list[View]:
    """Views that were saved; everyone has the same."""
    with data.store.read() as session:
        return _views(session)


@router.put("/fleet/views")
def save_view(view: View, data: CurrentData) -> list[View]:
    """Save a view under its name, in place of the one that has it."""
    with data.store.write() as session:
        known = {one.name: one.query for one in _views(session)}
        if len(known) >= MOST_VIEWS and view.name not in known:
            raise Problem(409, "Too many views", f"name: at most {MOST_VIEWS} views are kept; remove one first", "name")
        session.merge(Preference(name=VIEWS, value=known | {view.name: view.query}))
        return _views(session)


@router.delete("/fleet/views/{name}", status_code=204)
def remove_view(name: str, data: CurrentData) -> None:
    with data.store.write() as session:
        known = {one.name: one.query for one in _views(session)}
        if known.pop(name, None) is None:
            raise Problem(404, "Unknown view", f"no view '{name}' is saved", "name")
        session.merge(Preference(name=VIEWS, value=known))
