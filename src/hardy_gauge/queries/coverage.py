"""For how long each server's sources were recorded within a span: the one place where coverage is computed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl
from sqlalchemy import ColumnElement, func, select

from hardy_gauge.core.figures.catalogue import SPAN
from hardy_gauge.core.figures.minutes import covered_by_server
from hardy_gauge.core.narrative.capture import FIRST_FIGURES_US
from hardy_gauge.core.time.coverage import Gap, Source, sampled_spans, seconds
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import segments
from hardy_gauge.store.models import CaptureState, Segment, Server
from hardy_gauge.store.models import Gap as StoredGap


def covered(reader: Reader, servers: Sequence[Server], span: Span, source: Source) -> dict[int, float]:
    """Seconds of the span, by server id, in which a source was recorded; 0 where nothing was.

    Samples: between the first and the last look at the server, less the union of the gaps. Counters and statements:
    the intervals that are filed in the span, each as long as it was, so that a sum over them and its divisor are of
    the same intervals.
    """
    if source == "samples":
        return {server_id: seconds(spans) for server_id, spans in sampled(reader, servers, span).items()}
    ids = [server.id for server in servers]
    frame = reader.counters(ids, span, [SPAN])
    found = _by_server(frame)
    if source == "statements":
        lacking = [i for i in ids if not found.get(i)]
        if lacking:
            with reader.store.read() as session:
                rows = segments.read(session, lacking, "statement", span.since_us, span.until_us, [SPAN])
            found |= _by_server(rows.unique() if SPAN in rows.columns else rows)
    return {server_id: found.get(server_id, 0.0) for server_id in ids}


def _by_server(frame: pl.DataFrame) -> dict[int, float]:
    if frame.is_empty() or SPAN not in frame.columns:
        return {}
    return covered_by_server(frame)


def sampled(reader: Reader, servers: Sequence[Server], span: Span) -> dict[int, list[Span]]:
    """The parts of the span, by server id, in which sessions were looked at."""
    ids = [server.id for server in servers]
    with reader.store.read() as session:
        edges = session.execute(
            select(Segment.server_id, Segment.kind, func.min(Segment.start_us), func.max(Segment.end_us))
            .where(Segment.server_id.in_(ids), Segment.kind.in_(("sample", "metric", "statement")))
            .group_by(Segment.server_id, Segment.kind)
        ).all()
        states = session.execute(
            select(CaptureState.server_id, CaptureState.seen_us, CaptureState.recorded_until_us).where(
                CaptureState.server_id.in_(ids)
            )
        ).all()
        oldest = session.scalar(select(func.min(Segment.start_us)).where(Segment.kind == "sample")) or 0
        gaps = gaps_of(reader, servers, span)
    last = {server_id: max(seen, until) for server_id, seen, until in states}
    looked = {i: first for i, kind, first, _ in edges if kind == "sample"}
    able = {server.id for server in servers if "sessions" in server.abilities}
    recorded: dict[int, Span] = {}
    for i, _, first, end in edges:
        if i in looked or i in able:
            # Samples are often kept for a shorter time than figures. Of a server that was never seen busy they begin
            # with the oldest of the store.
            begin = looked.get(i, max(oldest, min(first, recorded[i].since_us) if i in recorded else first))
            recorded[i] = Span(begin, max(end, last.get(i, 0), recorded[i].until_us if i in recorded else 0))
    return {i: sampled_spans(span, recorded.get(i), gaps.get(i, ())) for i in ids}


def gaps_of(reader: Reader, servers: Sequence[Server], span: Span) -> Mapping[int, list[Gap]]:
    """Gaps of each server that meet the span; one that is open goes on to the span's end."""
    with reader.store.read() as session:
        rows = session.execute(
            select(StoredGap.server_id, StoredGap.kind, StoredGap.from_us, StoredGap.to_us).where(
                StoredGap.server_id.in_([server.id for server in servers]), StoredGap.from_us < span.until_us,
                (StoredGap.to_us.is_(None)) | (StoredGap.to_us > span.since_us),
            )
        ).all()  # fmt: skip
    found: dict[int, list[Gap]] = {}
    for server_id, kind, since, until in rows:
        end = span.until_us if until is None else until
        if end > since:
            found.setdefault(server_id, []).append(Gap(kind, Span(since, end)))
    return found


def first_recorded_us(reader: Reader, servers: Sequence[Server]) -> dict[int, int]:
    """When the recording of each server begins; without those of which nothing was recorded."""
    return _first(reader, servers, Segment.kind == "metric")


def first_seen_us(reader: Reader, servers: Sequence[Server]) -> dict[int, int]:
    """When anything was stored of each server first; without those of which nothing was."""
    return _first(reader, servers)


def _first(reader: Reader, servers: Sequence[Server], *which: ColumnElement[bool]) -> dict[int, int]:
    with reader.store.read() as session:
        mine = Segment.server_id.in_([server.id for server in servers])
        rows = session.execute(
            select(Segment.server_id, func.min(Segment.start_us)).where(mine, *which).group_by(Segment.server_id)
        ).all()
    return {server_id: at for server_id, at in rows}


def is_young(reader: Reader, servers: Sequence[Server], until_us: int) -> bool:
    """Whether one of the servers was seen first so short a time before that its counters are not known yet."""
    return any(0 <= until_us - at < FIRST_FIGURES_US for at in first_seen_us(reader, servers).values())
