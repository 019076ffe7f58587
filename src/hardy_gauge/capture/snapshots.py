"""Snapshots of a server's counters, statements, levels and settings: on demand and on schedule, and their difference."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Annotated, Any

import polars as pl
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from hardy_gauge.capture.access import probe_of
from hardy_gauge.capture.targets import connected
from hardy_gauge.core.figures.catalogue import STATEMENT_FIGURES
from hardy_gauge.core.figures.units import Seconds, written_duration
from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.errors import NotFound, ProbeError
from hardy_gauge.probes.protocol import StatementCounter
from hardy_gauge.store.blocks import encode_block
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CounterSnapshot, Preference, Server

log = logging.getLogger(__name__)
NAME = "snapshot schedule"
SCHEDULED = "schedule"
AT_ONCE = 16
DAY_US = 86_400_000_000


class Schedule(BaseModel):
    """``every``: at whole multiples of it after midnight UTC. ``applies_to`` as in capture rules; empty is nowhere.
    Scheduled snapshots are kept for ``keep_days``; those on demand until they are taken out.
    """

    model_config = ConfigDict(extra="forbid")
    applies_to: list[str] = Field(default_factory=list, max_length=200)
    every: Annotated[Seconds, Field(ge=60, le=86400)] = 3600.0
    keep_days: int = Field(14, ge=1, le=4000)

    def as_document(self) -> dict[str, Any]:
        """As it is written in a file."""
        return {"applies_to": self.applies_to, "every": written_duration(self.every), "keep_days": self.keep_days}


def schedule_of(session: Session) -> Schedule:
    row = session.get(Preference, NAME)
    return Schedule() if row is None else Schedule.model_validate(row.value)


def set_schedule(session: Session, schedule: Schedule) -> None:
    session.merge(Preference(name=NAME, value=schedule.as_document()))


def take(store: Store, server_id: int, why: str, note: str = "") -> int:
    """Ask a server for all that it counts now, and store it; returns the snapshot's number. ProbeError when it does
    not answer.
    """
    probe = probe_of(store, server_id)
    try:
        identity = probe.identity()
        counters = probe.counters()
        statements = probe.statements().statements if "statements" in identity.abilities else []
        settings = probe.settings().settings if "settings" in identity.abilities else []
    finally:
        probe.close()
    row = CounterSnapshot(
        server_id=server_id, taken_us=counters.at_us, started_us=counters.started_at_us, why=why, note=note,
        values=counters.values, levels=counters.levels, statements=encode_block(_frame(statements)),
        settings={s.name: s.value for s in settings},
    )  # fmt: skip
    with store.write() as session:
        session.add(row)
        session.flush()
        return row.id


@dataclass(frozen=True)
class NotTaken:
    """A server of which no snapshot could be taken, and why."""

    server: str
    why: str


def take_several(store: Store, names: Sequence[str], why: str, note: str) -> tuple[list[int], list[NotTaken]]:
    """A snapshot of each server now, several beside each other; one that does not answer holds up no other.

    NotFound, before any is taken, when a name is of no server.
    """
    with store.read() as session:
        known = dict(session.execute(select(Server.name, Server.id)).all())
    for name in names:
        if name not in known:
            raise NotFound(f"no server '{name}' in the fleet", "servers", "Unknown server")

    def one(name: str) -> int | NotTaken:
        try:
            return take(store, known[name], why, note)
        except ProbeError as error:
            return NotTaken(name, str(error))

    with ThreadPoolExecutor(AT_ONCE) as pool:
        results = list(pool.map(one, dict.fromkeys(names)))
    return [r for r in results if isinstance(r, int)], [r for r in results if isinstance(r, NotTaken)]


def delete_snapshot(session: Session, snapshot_id: int) -> None:
    """NotFound when there is none of this number."""
    row = session.get(CounterSnapshot, snapshot_id)
    if row is None:
        raise NotFound(f"there is no snapshot {snapshot_id}", "id", "Unknown snapshot")
    session.delete(row)


def _frame(rows: Sequence[StatementCounter]) -> pl.DataFrame:
    """A row a statement: literals replaced, figures that are not reported null."""
    texts = [normalise(row.text) for row in rows]
    schema = dict.fromkeys(("key", "fingerprint", "text", "user", "service", "database"), pl.String) | dict.fromkeys(
        STATEMENT_FIGURES, pl.Float64
    )
    return pl.DataFrame(
        {
            "key": [row.key for row in rows], "fingerprint": [t.fingerprint for t in texts], "text": [t.text for t in texts],
            **{name: [getattr(row, name) for row in rows] for name in ("user", "service", "database", *STATEMENT_FIGURES)},
        },
        schema=schema,
    )  # fmt: skip


def due(store: Store, now_us: int) -> list[int]:
    """Servers whose next scheduled snapshot is due: none was taken since the last whole multiple."""
    with store.read() as session:
        schedule = schedule_of(session)
        if not schedule.applies_to:
            return []
        slot = now_us // int(schedule.every * 1e6) * int(schedule.every * 1e6)
        query = select(CounterSnapshot.server_id).where(
            CounterSnapshot.why == SCHEDULED, CounterSnapshot.noted_us >= slot
        )
        taken = set(session.scalars(query))
        places = set(schedule.applies_to)
        servers = session.scalars(connected(retired=False))
        return [s.id for s in servers if s.id not in taken and places & {"fleet", s.name, s.cluster.name, *s.labels}]


def run_due(store: Store, now_us: int) -> None:
    """Take what is due; a server that does not answer is tried again at the next call. Old scheduled ones go."""
    for server_id in due(store, now_us):
        try:
            number = take(store, server_id, SCHEDULED)
            with store.write() as session:
                session.get_one(CounterSnapshot, number).noted_us = now_us
        except ProbeError as error:
            log.info("server %s: no snapshot: %s", server_id, error)
    with store.write() as session:
        before = now_us - schedule_of(session).keep_days * DAY_US
        old = (CounterSnapshot.why == SCHEDULED, CounterSnapshot.noted_us < before)
        if session.scalar(select(func.count()).select_from(CounterSnapshot).where(*old)):
            session.execute(delete(CounterSnapshot).where(*old))
