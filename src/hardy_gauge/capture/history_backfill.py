"""Bring in what a probe remembers of the time before capture, or while it was away: day by day, whole or not at all."""

from __future__ import annotations

from collections.abc import Iterator
from typing import get_args

import polars as pl
from sqlalchemy import select

from hardy_gauge.capture.changes import record_messages_in
from hardy_gauge.capture.statement_registry import StatementRegistry
from hardy_gauge.core.narrative.capture import NOT_RUNNING
from hardy_gauge.probes.protocol import HistoryKind, Identity, Probe, RemembersPast
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState, Gap, Plan

MINUTE_US = 60_000_000
SHORTEST_GAP_US = 5_000_000
LOOKS_US = 4 * 3600 * 1_000_000


def backfill(
    store: Store, server_id: int, probe: RemembersPast, identity: Identity, until_us: int,
) -> int:  # fmt: skip
    """Import whole minutes from where the recording ends to ``until_us``; returns how many minutes.

    Each day is one transaction that also moves ``recorded_until_us``, so an interrupted import goes on
    where it stopped and nothing is counted twice.
    """
    if identity.history_since_us is None:
        return 0
    registry = StatementRegistry(identity.engine)
    counters = probe.statements()
    messages = probe.messages(identity.history_since_us) if "messages" in identity.abilities else None
    with store.write() as session:
        registry.learn(session, counters.statements, identity.clock_us)
        state = session.get_one(CaptureState, server_id)
        last = max(state.recorded_until_us, state.seen_us)
        since = -(-max(last, identity.history_since_us) // MINUTE_US) * MINUTE_US
        if last and since - last > SHORTEST_GAP_US and since < until_us:
            session.add(
                Gap(
                    server_id=server_id, kind="gap", from_us=last, to_us=since,
                    reason=f"{NOT_RUNNING}; history fills whole minutes after it",
                )
            )  # fmt: skip
        if messages is not None:
            record_messages_in(session, server_id, messages)
            state.messages_until_us = messages.until_us
    first, until_us = since, until_us // MINUTE_US * MINUTE_US
    while since < until_us:
        end = min((since // segments.DAY_US + 1) * segments.DAY_US, until_us)
        frames = [one for kind in get_args(HistoryKind) for one in _pieces(probe, kind, since, end)]
        with store.write() as session:
            for kind, frame in frames:
                segments.append(session, server_id, kind, stored_form(kind, frame, registry))
            state = session.get_one(CaptureState, server_id)
            state.recorded_until_us = state.executions_until_us = end
        since = end
    _plans(store, server_id, probe, registry)
    return max(0, (until_us - first) // MINUTE_US)


def _pieces(
    probe: RemembersPast, kind: HistoryKind, since_us: int, until_us: int
) -> Iterator[tuple[HistoryKind, pl.DataFrame]]:
    """History of a day; looks in pieces of some hours, for a server whose sessions are all at work has millions of them."""
    step = LOOKS_US if kind == "sample" else until_us - since_us
    for start in range(since_us, until_us, step):
        yield kind, probe.history(kind, start, min(start + step, until_us))


def stored_form(kind: segments.Kind, frame: pl.DataFrame, registry: StatementRegistry) -> pl.DataFrame:
    """The columns as they are stored, from the columns of the protocol's history."""
    if frame.is_empty():
        return frame
    if kind == "metric":
        return frame.with_columns(pl.lit(60.0).alias("span_s"))
    if kind == "sample":
        if "blocked_by" in frame.columns:
            waits = pl.when(pl.col("blocked_by").is_not_null()).then(pl.concat_list("blocked_by"))
            frame = frame.with_columns(waits.alias("blockers")).drop("blocked_by")
        return registry.with_families(registry.with_statements(frame))
    if kind == "statement":
        return registry.with_statements(frame.with_columns(pl.lit(60.0).alias("span_s")))
    return registry.with_statements(frame)


def _plans(store: Store, server_id: int, probe: Probe, registry: StatementRegistry) -> None:
    """Take every plan that the imported intervals name and that the server still remembers."""
    with store.read() as session:
        span = segments.bounds(session, [server_id], "statement")
        if span is None:
            return
        frame = segments.read(session, [server_id], "statement", *span, columns=["statement", "plan_key"])
    seen = frame.drop_nulls("plan_key").group_by("statement", "plan_key").agg(pl.col("at_us").max())
    for row in seen.iter_rows(named=True):
        take_plan(store, server_id, probe, int(row["statement"]), row["plan_key"], int(row["at_us"]))


def take_plan(store: Store, server_id: int, probe: Probe, statement_id: int, plan_key: str, at_us: int) -> None:
    """Ask the server for a plan by its key and store it, unless it is stored already."""
    mine = (Plan.server_id == server_id, Plan.statement_id == statement_id, Plan.plan_key == plan_key)
    with store.read() as session:
        if session.scalar(select(Plan.id).where(*mine)) is not None:
            return
    explained = probe.plan(plan_key)
    with store.write() as session:
        if session.scalar(select(Plan.id).where(*mine)) is None:
            session.add(
                Plan(
                    server_id=server_id, statement_id=statement_id, plan_key=plan_key, taken_us=at_us,
                    body=explained.model_dump(),
                )
            )  # fmt: skip
