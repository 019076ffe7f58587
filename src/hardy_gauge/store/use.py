"""What the store takes and how fast it grows, by series and by server."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import case, func, select, text
from sqlalchemy.orm import Session

from hardy_gauge.core.time.span import DAY_US
from hardy_gauge.store.models import Segment

RATE_DAYS = 7


@dataclass(frozen=True)
class Use:
    """Bytes in use, bytes a day at the rate of the last week, and by series; days until the limit, if one is set."""

    used_bytes: int
    by_kind: dict[str, int]
    bytes_a_day: float
    by_server_a_day: dict[int, float]
    days_left: float | None


def used_bytes(session: Session) -> int:
    """Pages of the store that hold something, in bytes."""
    pages, free, size = (
        int(session.execute(text(f"PRAGMA {name}")).scalar_one())
        for name in ("page_count", "freelist_count", "page_size")
    )
    return (pages - free) * size


def use_of(session: Session, now_us: int, most_bytes: int | None) -> Use:
    """What the store takes, and how fast it grows; ``most_bytes`` is the limit, if there is one."""
    since = now_us - RATE_DAYS * DAY_US
    size, recent = func.length(Segment.body), Segment.end_us > since
    rows = session.execute(
        select(
            Segment.server_id, Segment.kind, func.sum(size), func.sum(case((recent, size), else_=0)),
            func.min(case((recent, Segment.start_us))),
        ).group_by(Segment.server_id, Segment.kind)
    ).all()  # fmt: skip
    first = min((start for *_, start in rows if start is not None), default=None)
    days = max((now_us - max(first, since)) / DAY_US, 1 / 1440) if first is not None else 1.0
    by_kind: dict[str, int] = {}
    by_server: dict[int, float] = {}
    for server_id, kind, every, lately, _ in rows:
        by_kind[kind] = by_kind.get(kind, 0) + int(every)
        by_server[server_id] = by_server.get(server_id, 0.0) + float(lately) / days
    used, rate = used_bytes(session), sum(by_server.values())
    left = None if most_bytes is None or rate <= 0 else max(0.0, (most_bytes - used) / rate)
    return Use(used, by_kind, rate, by_server, left)
