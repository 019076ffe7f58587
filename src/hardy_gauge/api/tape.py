"""The tape: active sessions of a scope over time, the usual range behind it, changes, gaps and shifts on it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Annotated

import numpy as np
import polars as pl
from fastapi import APIRouter, Query
from pydantic import BaseModel
from sqlalchemy import select

from hardy_gauge.api.data import FIGURES, CurrentData, Data
from hardy_gauge.api.window import parse_focus, servers_in
from hardy_gauge.core.activity.wait_families import FAMILIES
from hardy_gauge.store.models import Change, Gap

router = APIRouter(tags=["tape"])
POINTS = 360
MINUTE_US = 60_000_000


class Mark(BaseModel):
    at_us: int
    server: str
    kind: str
    title: str


class GapMark(BaseModel):
    """A span that is not recorded as it should be, of ``share`` of the scope's servers."""

    from_us: int
    to_us: int | None
    server: str
    kind: str
    reason: str
    share: float = 1.0


class ShiftMark(BaseModel):
    since_us: int
    server: str
    ratio: float
    direction: str


class Tape(BaseModel):
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
    shifts: list[ShiftMark]
    families: list[str] = list(FAMILIES)


@router.get("/tape")
def tape(
    data: CurrentData,
    scope: str = "fleet",
    span: Annotated[str, Query(description="an ISO 8601 interval, or a duration that ends now")] = "PT6H",
) -> Tape:
    servers = servers_in(data, scope)
    now = data.clock()
    view, _ = parse_focus(span, now)
    step = max(1, round((view.until_us - view.since_us) / MINUTE_US / POINTS)) * MINUTE_US
    since = view.since_us // step * step
    grid = np.arange(since, view.until_us, step, dtype=np.int64)
    total, low, high = (np.zeros(len(grid)) for _ in range(3))
    seen, known = (np.zeros(len(grid), dtype=bool) for _ in range(2))
    names = {server.id: server.name for server in servers}
    for server in servers:
        values = _means(data, server.id, grid, step)
        here = np.isfinite(values)
        seen |= here
        total += np.where(here, values, 0.0)
        lower, _, upper = data.usual(server.id, "active_sessions").at(grid + step // 2)
        # one without a usual range yet counts as it is, so that it makes the scope neither more nor less usual
        known |= np.isfinite(lower)
        low = low + np.where(np.isfinite(lower), lower, np.nan_to_num(values))
        high = high + np.where(np.isfinite(upper), upper, np.nan_to_num(values))
    with data.store.read() as session:
        changes = session.scalars(
            select(Change)
            .where(Change.server_id.in_(names), Change.at_us.between(view.since_us, view.until_us))
            .order_by(Change.at_us)
        ).all()
        gaps = session.scalars(
            select(Gap).where(
                Gap.server_id.in_(names),
                Gap.from_us < view.until_us,
                (Gap.to_us.is_(None)) | (Gap.to_us > view.since_us),
            )
        ).all()
    shifts = [(names[s.id], data.shift(s.id)) for s in servers]
    return Tape(
        scope=scope, since_us=since, until_us=view.until_us, step_us=step, now_us=now, at_us=grid.tolist(),
        active_sessions=[float(v) if ok else None for v, ok in zip(total, seen, strict=True)],
        usual_low=_finite(np.where(known, low, np.nan)), usual_high=_finite(np.where(known, high, np.nan)),
        changes=[Mark(at_us=c.at_us, server=names[c.server_id], kind=c.kind, title=c.title) for c in changes],
        gaps=_marks(gaps, names, now),
        shifts=[
            ShiftMark(since_us=s.since_us, server=name, ratio=s.ratio, direction=s.direction) for name, s in shifts if s
        ],
    )  # fmt: skip


def _means(data: Data, server_id: int, grid: np.ndarray, step: int) -> np.ndarray:
    values = np.full(len(grid), np.nan)
    if not len(grid):
        return values
    times, minutes = data.figure(
        data.metrics([server_id], int(grid[0]), int(grid[-1]) + step, FIGURES["active_sessions"]), "active_sessions"
    )
    if len(times):
        frame = pl.DataFrame({"slot": (times - grid[0]) // step, "value": minutes}).group_by("slot").mean()
        values[frame["slot"].to_numpy()] = frame["value"].to_numpy()
    return values


def _finite(values: np.ndarray) -> list[float | None]:
    return [float(v) if np.isfinite(v) else None for v in values]


NOT_RECORDED = ("gap", "paused")


def _marks(gaps: Sequence[Gap], names: Mapping[int, str], now: int) -> list[GapMark]:
    """Each of one server as it is; of several servers where some are not recorded, how many of them."""
    if len(names) == 1:
        return [
            GapMark(from_us=g.from_us, to_us=g.to_us, server=names[g.server_id], kind=g.kind, reason=g.reason)
            for g in gaps
        ]
    spans = [(g.from_us, g.to_us or now, g) for g in gaps if g.kind in NOT_RECORDED]
    edges = sorted({edge for since, until, _ in spans for edge in (since, until)})
    marks = []
    for since, until in pairwise(edges):
        here = {names[g.server_id]: g.reason for a, b, g in spans if a < until and b > since}
        if here:
            first = next(iter(here))
            server = first if len(here) == 1 else f"{len(here)} of {len(names)} servers"
            part = len(here) / len(names)
            marks.append(GapMark(from_us=since, to_us=until, server=server, kind="gap", reason=here[first], share=part))
    return marks
