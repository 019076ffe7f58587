"""The tape: active sessions of a scope over time, the usual range behind it, changes, gaps and the beginnings of findings on it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from sqlalchemy import select

from hardy_gauge.core.changes.mark import Mark
from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.narrative.capture import nothing_recorded
from hardy_gauge.core.reference.usual_range import UsualRange, troubled_spans, usual_range
from hardy_gauge.core.time.coverage import NOT_RECORDED
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.core.time.steps import finite, grid_of, means, step_of
from hardy_gauge.core.time.window import parse_focus
from hardy_gauge.queries.marks import changes_marked, findings_marked
from hardy_gauge.queries.reader import LEADING, Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.models import Gap, Server


@dataclass(frozen=True)
class GapMark:
    """A span that is not recorded as it should be, of ``share`` of the scope's servers."""

    from_us: int
    to_us: int | None
    server: str
    kind: str
    reason: str
    share: float


@dataclass(frozen=True)
class Tape:
    """Arrays of one length; active sessions are means of each step, None where nothing was recorded."""

    scope: str
    since_us: int
    until_us: int
    step_us: int
    now_us: int
    at_us: list[int]
    active_sessions: list[float | None]
    usual_low: list[float | None]
    usual_high: list[float | None]
    changes: list[Mark]
    gaps: list[GapMark]
    findings: list[Mark]


def tape(reader: Reader, scope: str, span: str) -> Tape:
    """BadWindow when the span, an ISO 8601 interval or a duration that ends now, is none."""
    servers, now = servers_in(reader, scope), reader.clock()
    view, _ = parse_focus(span, now, "span")
    step = step_of(view)
    grid = grid_of(view, step)
    since = view.since_us // step * step
    names = {server.id: server.name for server in servers}
    total, extra = (np.zeros(len(grid)) for _ in range(2))
    seen = np.zeros(len(grid), dtype=bool)
    usual, summed = usual_of_sum(reader, servers)
    with reader.read_ahead(list(names), Span(since, view.until_us), FIGURES[LEADING].columns):
        for server in servers:
            values = means(*reader.figure(server.id, LEADING, Span(since, view.until_us)), grid, step)
            seen |= np.isfinite(values)
            total += np.nan_to_num(values)
            if server.id not in summed:  # counts as it is, so that it makes the scope neither more nor less usual
                extra += np.nan_to_num(values)
    low, _, high = usual.at(grid + step // 2)
    with reader.store.read() as session:
        gaps = session.scalars(
            select(Gap).where(
                Gap.server_id.in_(names), Gap.from_us < view.until_us, (Gap.to_us.is_(None)) | (Gap.to_us > view.since_us)
            )
        ).all()  # fmt: skip
    if (failure := reader.store.health.failure) is not None and now > failure.since_us:
        why = nothing_recorded(failure.why, failure.since_us)
        gaps = [*gaps, *(Gap(server_id=i, kind="gap", from_us=failure.since_us, to_us=None, reason=why) for i in names)]
    return Tape(
        scope=scope, since_us=since, until_us=view.until_us, step_us=step, now_us=now, at_us=grid.tolist(),
        active_sessions=[float(v) if ok else None for v, ok in zip(total, seen, strict=True)],
        usual_low=finite(low + extra), usual_high=finite(high + extra),
        changes=changes_marked(reader, servers, view), gaps=_marks(gaps, names, now),
        findings=findings_marked(reader, servers, view),
    )  # fmt: skip


def usual_of_sum(reader: Reader, servers: Sequence[Server]) -> tuple[UsualRange, frozenset[int]]:
    """The usual range of the servers' active sessions together, and the ids of those that it is of.

    Computed on the summed series: quantiles do not add up. Where a server was not recorded it counts with its usual
    centre; one of which nothing usual is known is not part of the sum.
    """
    ids = tuple(server.id for server in servers)
    return reader.kept(("usual of sum", ids), lambda: _usual_of_sum(reader, ids))


def _usual_of_sum(reader: Reader, ids: Sequence[int]) -> tuple[UsualRange, frozenset[int]]:
    ranges = {i: reader.usual(i, LEADING) for i in ids}
    known = [i for i in ids if np.isfinite(ranges[i].centre).any()]
    if len(known) == 1:
        return ranges[known[0]], frozenset(known)
    span = reader.history()
    grid = np.arange(span.since_us // MINUTE_US * MINUTE_US, span.until_us, MINUTE_US, dtype=np.int64)
    total, seen = np.zeros(len(grid)), np.zeros(len(grid), dtype=bool)
    with reader.read_ahead(known, span, FIGURES[LEADING].columns, keep=False):
        for i in known:
            values = means(*reader.figure(i, LEADING, span), grid, MINUTE_US)
            seen |= np.isfinite(values)
            _, centre, _ = ranges[i].at(grid)
            total += np.where(np.isfinite(values), values, centre)
    good = seen & np.isfinite(total)
    times, sums = grid[good], total[good]
    return usual_range(times, sums, troubled_spans(times, sums, FIGURES[LEADING].least)), frozenset(known)


def _marks(gaps: Sequence[Gap], names: Mapping[int, str], now: int) -> list[GapMark]:
    """Each of one server as it is; of several servers where some are not recorded, how many of them."""
    if len(names) == 1:
        return [GapMark(g.from_us, g.to_us, names[g.server_id], g.kind, g.reason, 1.0) for g in gaps]
    spans = [(g.from_us, g.to_us or now, g) for g in gaps if g.kind in NOT_RECORDED]
    edges = sorted({edge for since, until, _ in spans for edge in (since, until)})
    marks = []
    for since, until in pairwise(edges):
        here = {names[g.server_id]: g.reason for a, b, g in spans if a < until and b > since}
        if here:
            first = next(iter(here))
            server = first if len(here) == 1 else f"{len(here)} of {len(names)} servers"
            marks.append(GapMark(since, until, server, "gap", here[first], len(here) / len(names)))
    return marks
