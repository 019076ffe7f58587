"""Series in the store: append, read back only the columns asked for, compact small segments into days."""

from __future__ import annotations

import io
import threading
from collections import OrderedDict
from collections.abc import Iterable, Sequence
from typing import Literal, cast

import polars as pl
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from hardy_gauge.store.models import Segment

Kind = Literal["metric", "statement", "sample", "execution"]
KINDS: tuple[Kind, ...] = ("metric", "statement", "sample", "execution")
TIME: dict[Kind, str] = {
    "metric": "at_us",
    "statement": "at_us",
    "sample": "at_us",
    "execution": "ended_at_us",
}
HOUR_US = 3_600_000_000
DAY_US = 24 * HOUR_US
KEPT_BYTES = 256 * 2**20


class _Decoded:
    """Decoded segments, the last used kept: a segment never changes once it is stored."""

    def __init__(self, most_bytes: int) -> None:
        self._frames: OrderedDict[object, tuple[pl.DataFrame, int]] = OrderedDict()
        self._bytes, self._most = 0, most_bytes
        self._lock = threading.Lock()

    def get(self, key: object) -> pl.DataFrame | None:
        with self._lock:
            found = self._frames.get(key)
            if found is None:
                return None
            self._frames.move_to_end(key)
            return found[0]

    def put(self, key: object, frame: pl.DataFrame) -> None:
        size = int(frame.estimated_size())
        with self._lock:
            if key not in self._frames and size < self._most // 4:
                self._frames[key] = (frame, size)
                self._bytes += size
            while self._bytes > self._most:
                _, (_, dropped) = self._frames.popitem(last=False)
                self._bytes -= dropped


_decoded = _Decoded(KEPT_BYTES)


def append(session: Session, server_id: int, kind: Kind, frame: pl.DataFrame) -> None:
    """Store rows as one segment, sorted by time; an empty frame stores nothing."""
    if frame.is_empty():
        return
    time = TIME[kind]
    frame = frame.sort(time)
    start, end = int(frame[time][0]), int(frame[time][-1]) + 1
    session.add(
        Segment(server_id=server_id, kind=kind, start_us=start, end_us=end, rows=len(frame), body=encode(frame))
    )


def encode(frame: pl.DataFrame) -> bytes:
    buffer = io.BytesIO()
    frame.write_parquet(buffer, compression="zstd", statistics=False, row_group_size=1 << 20)
    return buffer.getvalue()


def read(
    session: Session,
    server_ids: Sequence[int],
    kind: Kind,
    since_us: int,
    until_us: int,
    columns: Iterable[str] | None = None,
) -> pl.DataFrame:
    """Rows in ``[since, until)`` with a ``server_id`` column; ``columns`` besides the time, all when None.

    A column that a segment lacks is null there. Without any row an empty frame comes back.
    """
    found = session.execute(
        select(Segment.id, Segment.server_id, Segment.start_us, Segment.end_us, Segment.rows)
        .where(
            Segment.server_id.in_(server_ids),
            Segment.kind == kind,
            Segment.start_us < until_us,
            Segment.end_us > since_us,
        )
        .order_by(Segment.start_us)
    ).all()
    time = TIME[kind]
    wanted = None if columns is None else tuple(dict.fromkeys([time, *columns]))
    store = str(session.get_bind().engine.url)
    by_server: dict[int, list[pl.DataFrame]] = {}
    for segment_id, server_id, start, end, rows in found:
        key = (store, segment_id, start, end, rows, wanted)
        frame = _decoded.get(key)
        if frame is None:
            body = session.execute(select(Segment.body).where(Segment.id == segment_id)).scalar_one_or_none()
            if body is None:
                continue
            frame = _decode(body, wanted)
            _decoded.put(key, frame)
        if start < since_us or end > until_us:
            frame = frame.filter(pl.col(time).is_between(since_us, until_us - 1))
        by_server.setdefault(server_id, []).append(frame)
    if not by_server:
        return pl.DataFrame()
    named = [
        pl.concat(frames, how="diagonal").with_columns(pl.lit(server_id, dtype=pl.Int32).alias("server_id"))
        for server_id, frames in by_server.items()
    ]
    return pl.concat(named, how="diagonal")


def _decode(body: bytes, columns: tuple[str, ...] | None) -> pl.DataFrame:
    source = io.BytesIO(body)
    if columns is None:
        return pl.read_parquet(source)
    have = _names(body)
    return pl.read_parquet(source, columns=[c for c in columns if c in have])


def _names(body: bytes) -> frozenset[str]:
    return frozenset(pl.read_parquet_schema(io.BytesIO(body)))


def bounds(session: Session, server_ids: Sequence[int], kind: Kind) -> tuple[int, int] | None:
    """First and last time recorded of a series, or None."""
    row = session.execute(
        select(func.min(Segment.start_us), func.max(Segment.end_us)).where(
            Segment.server_id.in_(server_ids), Segment.kind == kind
        )
    ).one()
    return None if row[0] is None else (row[0], row[1])


def compact(session: Session, now_us: int) -> int:
    """Merge the segments of every hour that is over, and of every day that is over, into one; returns merges."""
    merged = 0
    for span in (DAY_US, HOUR_US):
        bucket = Segment.start_us // span
        groups = session.execute(
            select(Segment.server_id, Segment.kind, bucket)
            .where(bucket * span + span + 120_000_000 < now_us)
            .group_by(Segment.server_id, Segment.kind, bucket)
            .having(func.count() > 1)
        ).all()
        for server_id, name, number in groups:
            kind = cast(Kind, name)
            mine = (Segment.server_id == server_id, Segment.kind == kind, bucket == number)
            bodies = session.execute(select(Segment.body).where(*mine).order_by(Segment.start_us)).scalars().all()
            frame = pl.concat([pl.read_parquet(io.BytesIO(b)) for b in bodies], how="diagonal")
            session.execute(delete(Segment).where(*mine))
            append(session, server_id, kind, frame)
            merged += 1
    return merged


def drop_before(session: Session, kind: Kind, before_us: int) -> int:
    """Retention: delete the segments of a series that end before a time; returns how many."""
    found = session.execute(delete(Segment).where(Segment.kind == kind, Segment.end_us < before_us))
    return int(getattr(found, "rowcount", 0))
