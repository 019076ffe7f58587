"""Series in the store: append, read back only the columns asked for, compact small segments into days."""

from __future__ import annotations

import io
import threading
from collections import OrderedDict
from collections.abc import Iterable, Sequence
from typing import IO, Literal, cast, get_args

import polars as pl
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from hardy_gauge.store.models import ImportSegment, Segment

Kind = Literal["metric", "statement", "sample", "execution", "table"]
KINDS: tuple[Kind, ...] = get_args(Kind)
TIME: dict[Kind, str] = {
    "metric": "at_us",
    "statement": "at_us",
    "sample": "at_us",
    "execution": "ended_at_us",
    "table": "at_us",
}
HOUR_US = 3_600_000_000
DAY_US = 24 * HOUR_US
MOST_ROWS = 2_000_000
AT_ONCE = 128
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

    def put(self, key: object, frame: pl.DataFrame, size: int) -> None:
        """``size`` is what the frame takes, in bytes, about."""
        with self._lock:
            if key not in self._frames and size < self._most // 4:
                self._frames[key] = (frame, size)
                self._bytes += size
            while self._bytes > self._most:
                _, (_, dropped) = self._frames.popitem(last=False)
                self._bytes -= dropped

    def clear(self) -> None:
        with self._lock:
            self._frames.clear()
            self._bytes = 0


_decoded = _Decoded(KEPT_BYTES)


def forget() -> None:
    """After segments were deleted: the store may give their ids to others."""
    _decoded.clear()


def append(session: Session, server_id: int, kind: Kind, frame: pl.DataFrame, import_id: int | None = None) -> None:
    """Store rows as one segment, sorted by time; an empty frame stores nothing. ``import_id`` says what it came with."""
    if frame.is_empty():
        return
    time = TIME[kind]
    frame = frame.sort(time)
    start, end = int(frame[time][0]), int(frame[time][-1]) + 1
    row = Segment(server_id=server_id, kind=kind, start_us=start, end_us=end, rows=len(frame), body=encode(frame))
    session.add(row)
    if import_id is not None:
        session.flush()
        session.add(ImportSegment(segment_id=row.id, import_id=import_id))


def encode(frame: pl.DataFrame) -> bytes:
    """A frame as a Parquet block."""
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
        select(Segment.id, Segment.server_id, Segment.start_us, Segment.end_us, Segment.rows, func.length(Segment.body))
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
    frames: dict[int, pl.DataFrame] = {}
    missing: list[tuple[int, object]] = []
    for segment_id, _, start, end, rows, size in found:
        key: object = (store, segment_id, start, end, rows, size, wanted)
        known = _decoded.get(key)
        if known is None:
            missing.append((segment_id, key))
        else:
            frames[segment_id] = known
    for at in range(0, len(missing), AT_ONCE):
        part = missing[at : at + AT_ONCE]
        query = select(Segment.id, Segment.body, Segment.rows).where(
            Segment.id.in_([segment_id for segment_id, _ in part])
        )
        bodies = {segment_id: (body, rows) for segment_id, body, rows in session.execute(query)}
        here = [one for one in part if one[0] in bodies]
        for (segment_id, key), (frame, size) in zip(here, _decode([bodies[i] for i, _ in here], wanted), strict=True):
            frames[segment_id] = frame
            _decoded.put(key, frame, size)
    by_server: dict[int, list[pl.DataFrame]] = {}
    for segment_id, server_id, start, end, *_ in found:
        if segment_id not in frames:
            continue
        frame = frames[segment_id]
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


def _decode(bodies: Sequence[tuple[bytes, int]], columns: tuple[str, ...] | None) -> list[tuple[pl.DataFrame, int]]:
    """A frame of each body with its number of rows, and about how many bytes it takes. Those of one shape are read
    together, which uses every core.
    """
    by_shape: dict[tuple[tuple[str, pl.DataType], ...], list[int]] = {}
    for place, (body, _) in enumerate(bodies):
        schema = pl.read_parquet_schema(io.BytesIO(body))
        shape = tuple((name, kind) for name, kind in schema.items() if columns is None or name in columns)
        by_shape.setdefault(shape, []).append(place)
    frames: list[tuple[pl.DataFrame, int]] = [(pl.DataFrame(), 0)] * len(bodies)
    for shape, places in by_shape.items():
        sources: list[IO[bytes]] = [io.BytesIO(bodies[place][0]) for place in places]
        whole = pl.scan_parquet(sources, extra_columns="ignore").select(name for name, _ in shape).collect()
        row_size, start = whole.estimated_size() / max(len(whole), 1), 0
        for place in places:
            rows = bodies[place][1]
            frames[place] = whole.slice(start, rows), int(rows * row_size)
            start += rows
    return frames


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
        came = select(ImportSegment.import_id).where(ImportSegment.segment_id == Segment.id).scalar_subquery()
        groups = session.execute(
            select(Segment.server_id, Segment.kind, bucket, came)
            .where(bucket * span + span + 120_000_000 < now_us)
            .group_by(Segment.server_id, Segment.kind, bucket, came)
            .having(func.count() > 1)
            .having(func.sum(Segment.rows) <= MOST_ROWS)
        ).all()
        for server_id, name, number, import_id in groups:
            kind = cast(Kind, name)
            mine = (Segment.server_id == server_id, Segment.kind == kind, bucket == number, came.is_(import_id))
            rows = session.execute(select(Segment.id, Segment.body).where(*mine).order_by(Segment.start_us)).all()
            frame = pl.concat([pl.read_parquet(io.BytesIO(body)) for _, body in rows], how="diagonal_relaxed")
            session.execute(delete(Segment).where(Segment.id.in_([row.id for row in rows])))
            append(session, server_id, kind, frame, import_id)
            merged += 1
    return merged


def drop_before(session: Session, kind: Kind, before_us: int) -> int:
    """Retention: delete the recorded segments of a series that end before a time, not imported ones; returns
    how many.
    """
    brought = select(ImportSegment.segment_id)
    found = session.execute(
        delete(Segment).where(Segment.kind == kind, Segment.end_us < before_us, Segment.id.not_in(brought))
    )
    return int(getattr(found, "rowcount", 0))
