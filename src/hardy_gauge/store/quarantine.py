"""Damaged blocks are set aside: left out of every answer, shown as a gap, and said on Storage. The rest goes on."""

from __future__ import annotations

import logging
import time
from collections.abc import Mapping
from contextlib import suppress

from sqlalchemy import Engine, select
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from hardy_gauge.store.models import DamagedSegment, Gap, Segment

log = logging.getLogger(__name__)
GAP = {
    "metric": "damaged counters", "statement": "damaged statements", "sample": "damaged samples",
    "execution": "damaged executions", "table": "damaged tables", "holder": "damaged holders",
    "message": "damaged messages",
    "connection": "damaged connections",
    "index": "damaged indexes", "sequence": "damaged sequences",
}  # fmt: skip


def quarantine(session: Session, found: Mapping[int, str]) -> None:
    """Set segments aside, by number with what is wrong with each. In the transaction of a session that writes, else in one
    of its own; where even that fails, they are left out all the same, and found again the next time.
    """
    if session.connection().get_execution_options().get("writes"):
        _note(session, found)
        return
    engine = session.get_bind().engine
    assert isinstance(engine, Engine)
    with suppress(DatabaseError), Session(engine) as writing:
        writing.connection(execution_options={"writes": True})
        _note(writing, found)
        writing.commit()


def _note(session: Session, found: Mapping[int, str]) -> None:
    now = time.time_ns() // 1000
    for segment_id, why in found.items():
        row = session.execute(
            select(Segment.server_id, Segment.kind, Segment.start_us, Segment.end_us, Segment.rows).where(
                Segment.id == segment_id
            )
        ).one_or_none()
        if row is None or session.get(DamagedSegment, segment_id) is not None:
            continue
        log.error("segment %s (%s of server %s) is damaged: %s", segment_id, row.kind, row.server_id, why)
        session.add(DamagedSegment(segment_id=segment_id, found_us=now, why=why))
        reason = f"a stored block of {row.rows} rows is damaged: {why}"
        session.add(
            Gap(server_id=row.server_id, kind=GAP[row.kind], from_us=row.start_us, to_us=row.end_us, reason=reason)
        )
