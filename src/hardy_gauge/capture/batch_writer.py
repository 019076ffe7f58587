"""Batches of recorders into the store: series, changes, gaps, plans, settings and schema of one server."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from hardy_gauge.capture.batch import CaptureBatch, TakenPlan, Trouble
from hardy_gauge.capture.changes import (
    record_host_changes,
    record_identity_changes,
    record_messages_in,
    record_schema_changes,
    record_setting_changes,
    record_upkeep,
)
from hardy_gauge.capture.messages import running_in
from hardy_gauge.capture.statement_registry import StatementRegistry
from hardy_gauge.probes.protocol import LogMessages
from hardy_gauge.store import segments
from hardy_gauge.store.models import CaptureState, Gap, Plan, Server, Snapshot


def write(session: Session, state: CaptureState, batch: CaptureBatch, registry: StatementRegistry, now_us: int) -> None:
    """A batch of one server; statements that are new become known to the registry."""
    server_id, until = state.server_id, batch.until
    registry.learn(session, [*batch.counters_seen, *batch.texts_seen.values(), *running_in(batch.messages)], now_us)
    for name, frame in batch.frames(registry).items():
        kind = next(k for k in segments.KINDS if k == name)
        segments.append(session, server_id, kind, frame)
    state.recorded_until_us = max(state.recorded_until_us, until.recorded_us)
    state.executions_until_us = max(state.executions_until_us, until.executions_us)
    state.messages_until_us = max(state.messages_until_us, until.messages_us)
    state.seen_us = max(state.seen_us, until.seen_us)
    state.clock_skew_s = until.skew_s
    for trouble in batch.troubles:
        _trouble(session, server_id, trouble)
    record_messages_in(session, server_id, LogMessages(until_us=now_us, messages=batch.messages))
    record_upkeep(session, server_id, batch.events)
    for plan in batch.plans:
        _plan(session, server_id, plan)
    if batch.identity is not None:
        server, told = session.get_one(Server, server_id), batch.identity
        record_identity_changes(session, server, told, until.seen_us)
        server.role, server.engine_version, server.abilities = told.role, told.engine_version, list(told.abilities)
    if batch.host is not None and batch.host.cores is not None:
        server, host = session.get_one(Server, server_id), batch.host.model_dump()
        record_host_changes(session, server_id, server.host, host, batch.until.seen_us)
        server.host = host
    if batch.settings is not None:
        record_setting_changes(session, server_id, batch.settings)
        _latest(session, server_id, "settings", batch.settings.at_us, batch.settings.model_dump())
    if batch.pins is not None:
        _latest(session, server_id, "pins", batch.until.seen_us, batch.pins)
    if batch.planner is not None:
        _latest(session, server_id, "planner", batch.planner.at_us, batch.planner.model_dump())
    if batch.schema is not None:
        record_schema_changes(session, server_id, batch.schema)
        _latest(session, server_id, "schema", batch.schema.at_us, batch.schema.model_dump())


def _trouble(session: Session, server_id: int, trouble: Trouble) -> None:
    to_us = None if trouble.to_us is None else max(trouble.to_us, trouble.from_us)  # the clock may have been set back
    if trouble.row_id is None:
        row = Gap(server_id=server_id, kind=trouble.kind, from_us=trouble.from_us, to_us=to_us, reason=trouble.reason)
        session.add(row)
        session.flush()
        trouble.row_id = row.id
        return
    session.get_one(Gap, trouble.row_id).to_us = to_us


def _plan(session: Session, server_id: int, plan: TakenPlan) -> None:
    mine = (Plan.server_id == server_id, Plan.statement_id == plan.statement_id, Plan.plan_key == plan.plan_key)
    if not session.scalar(select(func.count()).select_from(Plan).where(*mine)):
        session.add(
            Plan(
                server_id=server_id, statement_id=plan.statement_id, plan_key=plan.plan_key, taken_us=plan.at_us,
                body=plan.explained.model_dump(),
            )
        )  # fmt: skip


def _latest(session: Session, server_id: int, kind: str, at_us: int, body: dict[str, object]) -> None:
    session.merge(Snapshot(server_id=server_id, kind=kind, taken_us=at_us, body=body))
