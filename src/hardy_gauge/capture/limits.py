"""How much is kept: limits of age and size, the clean-up that follows them, and when the size will be reached."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from hardy_gauge.core.units import byte_size
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import ImportSegment, Preference, Segment

NAME = "limits"
DAY_US = segments.DAY_US
RATE_DAYS = 7
NEARLY = 0.9


class Limits(BaseModel):
    """Days that each series is kept, and bytes that the store may take; None is without limit."""

    model_config = ConfigDict(extra="forbid")

    sample_days: int = Field(40, ge=1, le=4000)
    execution_days: int = Field(40, ge=1, le=4000)
    statement_days: int = Field(400, ge=1, le=4000)
    metric_days: int = Field(400, ge=1, le=4000)
    most_bytes: Annotated[int, BeforeValidator(byte_size), Field(ge=10_000_000)] | None = None
    make_room: bool = Field(
        False, description="drop the oldest samples and executions instead of recording nothing new"
    )

    def days(self, kind: segments.Kind) -> int:
        return int(getattr(self, f"{kind}_days"))


@dataclass(frozen=True)
class Use:
    """Bytes in use, bytes a day at the rate of the last week, and by series; days until the limit, if one is set."""

    used_bytes: int
    by_kind: dict[str, int]
    bytes_a_day: float
    by_server_a_day: dict[int, float]
    days_left: float | None


def limits_of(session: Session) -> Limits:
    row = session.get(Preference, NAME)
    return Limits() if row is None else Limits.model_validate(row.value)


def set_limits(session: Session, limits: Limits) -> None:
    session.merge(Preference(name=NAME, value=limits.model_dump()))


def used_bytes(session: Session) -> int:
    """Pages of the store that hold something, in bytes."""
    pages, free, size = (
        int(session.execute(text(f"PRAGMA {name}")).scalar_one())
        for name in ("page_count", "freelist_count", "page_size")
    )
    return (pages - free) * size


def full(store: Store) -> str:
    """Why nothing new may be recorded; empty while there is room."""
    with store.read() as session:
        most = limits_of(session).most_bytes
        if most is None or used_bytes(session) < most:
            return ""
    return "the storage limit is reached; what is recorded stays readable"


def use_of(session: Session, now_us: int) -> Use:
    """What the store takes, and how fast it grows."""
    size = func.sum(func.length(Segment.body))
    by_kind = {kind: int(n) for kind, n in session.execute(select(Segment.kind, size).group_by(Segment.kind))}
    since = now_us - RATE_DAYS * DAY_US
    span = select(func.min(Segment.start_us)).where(Segment.end_us > since)
    first = session.execute(span).scalar_one()
    days = max((now_us - max(first, since)) / DAY_US, 1 / 1440) if first is not None else 1.0
    recent = session.execute(select(Segment.server_id, size).where(Segment.end_us > since).group_by(Segment.server_id))
    by_server = {server: float(n) / days for server, n in recent}
    used, most = used_bytes(session), limits_of(session).most_bytes
    rate = sum(by_server.values())
    left = None if most is None or rate <= 0 else max(0.0, (most - used) / rate)
    return Use(used, by_kind, rate, by_server, left)


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
