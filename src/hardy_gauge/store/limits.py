"""How much is kept: limits of age and size, and the clean-up that follows them."""

from __future__ import annotations

import sqlite3
from contextlib import closing, suppress
from typing import Annotated

from pydantic import BeforeValidator, Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from hardy_gauge.core.figures.units import byte_size
from hardy_gauge.input_document import InputDocument
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import ImportSegment, Preference, Segment
from hardy_gauge.store.use import used_bytes

NAME = "limits"
DAY_US = segments.DAY_US
NEARLY = 0.9
PAGES_AT_ONCE = 5000


class Limits(InputDocument):
    """Days that each series is kept, and bytes that the store may take; None is without limit."""

    sample_days: int = Field(40, ge=1, le=4000)
    holder_days: int = Field(40, ge=1, le=4000)
    execution_days: int = Field(40, ge=1, le=4000)
    statement_days: int = Field(400, ge=1, le=4000)
    metric_days: int = Field(400, ge=1, le=4000)
    connection_days: int = Field(90, ge=1, le=4000)
    message_days: int = Field(90, ge=1, le=4000)
    table_days: int = Field(400, ge=1, le=4000)
    index_days: int = Field(400, ge=1, le=4000)
    sequence_days: int = Field(400, ge=1, le=4000)
    most_bytes: Annotated[int, BeforeValidator(byte_size), Field(ge=10_000_000)] | None = None
    make_room: bool = Field(
        False, description="drop the oldest samples and executions instead of recording nothing new"
    )

    def days(self, kind: segments.Kind) -> int:
        """How many days a series is kept."""
        return int(getattr(self, f"{kind}_days"))


def limits_of(session: Session) -> Limits:
    """The limits that are set, or their defaults."""
    row = session.get(Preference, NAME)
    return Limits() if row is None else Limits.model_validate(row.value)


def set_limits(session: Session, limits: Limits) -> None:
    """Store the limits."""
    session.merge(Preference(name=NAME, value=limits.model_dump()))


def full(store: Store) -> str:
    """Why nothing new may be recorded; empty while there is room."""
    with store.read() as session:
        most = limits_of(session).most_bytes
        if most is None or used_bytes(session) < most:
            return ""
    return "the storage limit is reached; what is recorded stays readable"


def tidy(store: Store, now_us: int) -> None:
    """Compact small segments, drop what is past its age, and where it is wished make room before the limit is reached."""
    with store.write() as session:
        segments.compact(session, now_us)
        limits = limits_of(session)
        for kind in segments.KINDS:
            segments.drop_before(session, kind, now_us - limits.days(kind) * DAY_US)
        while limits.make_room and limits.most_bytes and used_bytes(session) > NEARLY * limits.most_bytes:
            if not _drop_oldest_day(session):
                break
    vacuum_step(store)


def vacuum_step(store: Store) -> None:
    """Give the disk back what was freed, a part at a time: nobody waits long for it. Left for the next time where somebody
    else is writing.
    """
    with store.writing, suppress(sqlite3.OperationalError), closing(sqlite3.connect(store.path)) as connection:
        connection.executescript(f"PRAGMA incremental_vacuum({PAGES_AT_ONCE})")  # which takes all of its steps


def _drop_oldest_day(session: Session) -> bool:
    """Drop the oldest day of recorded samples and executions; False when there is only today's."""
    brought = select(ImportSegment.segment_id)
    mine = (Segment.kind.in_(("sample", "execution")), Segment.id.not_in(brought))
    first, last = session.execute(select(func.min(Segment.end_us), func.max(Segment.end_us)).where(*mine)).one()
    if first is None or last - first < DAY_US:
        return False
    for kind in ("sample", "execution"):
        segments.drop_before(session, kind, first + DAY_US)
    session.flush()
    return True
