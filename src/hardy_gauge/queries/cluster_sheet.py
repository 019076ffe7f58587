"""One cluster: its members beside each other, and what happened to them in a window."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from sqlalchemy import select

from hardy_gauge.core.cluster.rebalancing import time_left
from hardy_gauge.core.cluster.sheet import ClusterSheet, Difference, MemberColumn
from hardy_gauge.core.figures.catalogue import FIGURES, VOLUME_USED, recorded_figure
from hardy_gauge.core.narrative.changes import value_words
from hardy_gauge.core.narrative.cluster import cluster_sentence, fewer_words, gone_words, moved_words, moving_words
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.findings import TROUBLE, Findings, findings_in
from hardy_gauge.queries.gauges import named_gauge
from hardy_gauge.queries.levels import RECENT_US
from hardy_gauge.queries.peer_comparison import compare_peers, peer_figures
from hardy_gauge.queries.reader import Reader, Times, Values
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.models import Cluster, Gap, Server, Snapshot

SHOWN = ("active_sessions", "response_s", "calls_per_s", "pages_read_per_s", "log_bytes_per_s", "processor_busy")
MOVING = ("partitions_coming", "partitions_going")
LONG_GAP_US = MINUTE_US
REPLICA_CAUSES = ("replica_behind", "replica_query_cancelled", "log_kept_for_lost_replica")


def cluster_sheet(reader: Reader, window: Window, name: str) -> ClusterSheet:
    """NotFound where there is no such cluster."""
    with reader.store.read() as session:
        if session.scalar(select(Cluster.id).where(Cluster.name == name)) is None:
            raise NotFound(f"no cluster {name!r}")
    servers, focus = servers_in(reader, name), window.focus
    columns = (c for shown in SHOWN for c in FIGURES[shown].columns)
    with reader.read_ahead([one.id for one in servers], focus, columns):
        compared = compare_peers(servers, focus, peer_figures(reader, servers, focus))
        gauges = {one.id: [named_gauge(reader, one.id, shown, focus) for shown in SHOWN] for one in servers}
    findings = findings_in(reader, servers, focus)
    calls = {one.id: next(g.value for g in gauges[one.id] if g.name == "calls_per_s") for one in servers}
    sizes = {one.id: _bytes(reader, one, focus) for one in servers}
    members = []
    for one in servers:
        alike = [other for other in servers if other.role == one.role]
        sides = [_level(reader, one, name, focus) for name in MOVING]
        moving = None if all(side is None for side in sides) else sum(side or 0.0 for side in sides)
        left = time_left(*_series(reader, one, MOVING[0], focus))
        members.append(
            MemberColumn(
                one.name, one.role, f"{one.engine} {one.engine_version}".strip(), _answers(reader, one, focus), gauges[one.id],
                _part(calls, one, alike), _part(sizes, one, alike), sizes[one.id], 1 / len(alike) if len(alike) > 1 else None,
                _level(reader, one, "replica_lag_s", focus), _level(reader, one, "replica_lag_bytes", focus),
                _why(findings, one), _whole(_level(reader, one, "members_seen", focus)),
                moving, _level(reader, one, "copies_missing", focus), moving_words(moving, left), left, sum(f.server == one.name and f.finding.grade in TROUBLE for f in findings.findings),
            )
        )  # fmt: skip
    return ClusterSheet(
        name, cluster_sentence(name, members, compared.odd), members, compared.odd, compared.well, _story(reader, servers, focus),
        _settings(reader, servers), list(findings.unknown[:6]),
    )  # fmt: skip


def _series(reader: Reader, server: Server, name: str, span: Span) -> tuple[Times, Values]:
    return reader.minutes(server.id, recorded_figure(name, False), span)


def _level(reader: Reader, server: Server, name: str, span: Span) -> float | None:
    """The last value of a level in the last minutes of the span."""
    _, values = _series(reader, server, name, Span(max(span.since_us, span.until_us - RECENT_US), span.until_us))
    return float(values[-1]) if len(values) else None


def _whole(value: float | None) -> int | None:
    return None if value is None else round(value)


def _bytes(reader: Reader, server: Server, span: Span) -> float | None:
    """What its databases take, or where that is not reported what its volumes hold."""
    columns = reader.counters([server.id], Span(max(span.since_us, span.until_us - RECENT_US), span.until_us)).columns
    for kind in ("database_bytes.", VOLUME_USED):
        names = [c for c in columns if c.startswith(kind)]
        values = [_level(reader, server, name, span) for name in names]
        if any(value is not None for value in values):
            return sum(value or 0.0 for value in values)
    return None


def _part(values: Mapping[int, float | None], one: Server, alike: Sequence[Server]) -> float | None:
    """Its part of what all of its role have; None where it is alone, or one is not known."""
    known = [values[other.id] for other in alike]
    if len(alike) < 2 or any(value is None for value in known):
        return None
    whole = sum(value or 0.0 for value in known)
    return (values[one.id] or 0.0) / whole if whole else None


def _answers(reader: Reader, server: Server, span: Span) -> bool:
    frame = reader.counters([server.id], Span(max(span.since_us, span.until_us - RECENT_US), span.until_us), ["span_s"])
    return len(frame) > 0


def _why(findings: Findings, server: Server) -> str:
    """What is found of its replication."""
    return next(
        (f.finding.title for f in findings.findings if f.server == server.name and f.finding.cause in REPLICA_CAUSES),
        "",
    )


def _story(reader: Reader, servers: Sequence[Server], focus: Span) -> list[str]:
    """Members that were lost and came back, what the others saw, partitions on the move; oldest first."""
    told: list[tuple[int, str]] = []
    names = {one.id: one.name for one in servers}
    with reader.store.read() as session:
        gaps = session.scalars(
            select(Gap).where(
                Gap.server_id.in_(names), Gap.kind == "gap", Gap.from_us < focus.until_us,
                (Gap.to_us.is_(None)) | (Gap.to_us > focus.since_us),
            )
        ).all()  # fmt: skip
    for gap in gaps:
        if (gap.to_us or focus.until_us) - gap.from_us >= LONG_GAP_US:
            told.append((gap.from_us, gone_words(names[gap.server_id], gap.from_us, gap.to_us, gap.reason)))
    seen = [_series(reader, one, "members_seen", focus) for one in servers]
    times, values = max(seen, key=lambda one: len(one[0]), default=(np.empty(0, np.int64), np.empty(0)))
    for at, (was, now) in zip(times[1:].tolist(), pairwise(values.tolist()), strict=True):
        if round(was) != round(now):
            told.append((at, fewer_words(at, round(was), round(now))))
    told += _moves(reader, servers, focus)
    return [words for _, words in sorted(told)]


def _moves(reader: Reader, servers: Sequence[Server], focus: Span) -> list[tuple[int, str]]:
    """Stretches in which partitions were on the move anywhere."""
    total: dict[int, float] = {}
    for one in servers:
        for at, value in zip(*(side.tolist() for side in _series(reader, one, MOVING[0], focus)), strict=True):
            total[at] = total.get(at, 0.0) + value
    found: list[tuple[int, str]] = []
    begun: int | None = None
    most = 0.0
    for at in sorted(total):
        if total[at] > 0:
            begun, most = at if begun is None else begun, max(most, total[at])
        elif begun is not None:
            found.append((begun, moved_words(begun, at, most)))
            begun, most = None, 0.0
    if begun is not None:
        found.append((begun, moved_words(begun, None, most)))
    return found


def _settings(reader: Reader, servers: Sequence[Server]) -> list[Difference]:
    """Settings that concern the work and are not the same on all members that report them."""
    by_name: dict[str, dict[str, list[str]]] = {}
    names = {one.id: one.name for one in servers}
    with reader.store.read() as session:
        rows = session.scalars(select(Snapshot).where(Snapshot.kind == "settings", Snapshot.server_id.in_(names)))
        for row in rows:
            for setting in _of_work(row.body):
                said = value_words(setting["value"], setting["unit"])
                by_name.setdefault(setting["name"], {}).setdefault(said, []).append(names[row.server_id])
    return [
        Difference(name, {value: sorted(members) for value, members in sorted(values.items())})
        for name, values in sorted(by_name.items())
        if len(values) > 1
    ]


def _of_work(body: Mapping[str, Any]) -> list[dict[str, Any]]:
    return [one for one in body["settings"] if one.get("concerns", "work") == "work"]
