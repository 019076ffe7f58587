"""Series in the store: append, read back only the columns asked for, compact small segments into days."""

from __future__ import annotations

import io
import threading
from collections import OrderedDict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import IO, Literal, cast, get_args

import polars as pl
from sqlalchemy import bindparam, delete, func, select
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from hardy_gauge.store.blocks import MARK, DamagedBlock, decode_block, encode_block, verified_content
from hardy_gauge.store.held_series import HeldSeries
from hardy_gauge.store.models import DamagedSegment, ImportSegment, Segment
from hardy_gauge.store.quarantine import quarantine

Part = tuple[int, int]
Kind = Literal[
    "metric", "statement", "sample", "holder", "execution", "table", "message", "connection", "index", "sequence"
]
KINDS: tuple[Kind, ...] = get_args(Kind)
TIME: dict[Kind, str] = {
    "metric": "at_us",
    "statement": "at_us",
    "sample": "at_us",
    "holder": "at_us",
    "execution": "ended_at_us",
    "table": "at_us",
    "message": "at_us",
    "connection": "at_us",
    "index": "at_us",
    "sequence": "at_us",
}
HOUR_US = 3_600_000_000
DAY_US = 24 * HOUR_US
MOST_ROWS = 2_000_000
AT_ONCE = 128
KEPT_BYTES = 256 * 2**20
HELD = "held series"  # in a session's info


# built once, for it is asked all the time
IN_SPAN = (
    select(Segment.id, Segment.server_id, Segment.start_us, Segment.end_us, Segment.rows, func.length(Segment.body))
    .where(
        Segment.server_id.in_(bindparam("servers", expanding=True)),
        Segment.kind == bindparam("kind"),
        Segment.start_us < bindparam("until"),
        Segment.end_us > bindparam("since"),
        Segment.id.not_in(select(DamagedSegment.segment_id)),
    )
    .order_by(Segment.start_us)
)


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


@dataclass(frozen=True)
class Block:
    """Rows of one series as they are stored, over ``[start_us, end_us)``."""

    kind: Kind
    start_us: int
    end_us: int
    rows: int
    body: bytes


def block(kind: Kind, frame: pl.DataFrame) -> Block:
    """The block of a frame that has rows, sorted by time."""
    time = TIME[kind]
    frame = frame.sort(time)
    return Block(kind, int(frame[time][0]), int(frame[time][-1]) + 1, len(frame), encode_block(frame))


def append(session: Session, server_id: int, kind: Kind, frame: pl.DataFrame, import_id: int | None = None) -> None:
    """Store rows as one segment, sorted by time; an empty frame stores nothing. ``import_id`` says what it came with."""
    if not frame.is_empty():
        append_block(session, server_id, block(kind, frame), import_id)


def append_block(session: Session, server_id: int, found: Block, import_id: int | None = None) -> None:
    """Store a block that was made before."""
    row = Segment(
        server_id=server_id, kind=found.kind, start_us=found.start_us, end_us=found.end_us, rows=found.rows, body=found.body
    )  # fmt: skip
    session.add(row)
    if import_id is not None:
        session.flush()
        session.add(ImportSegment(segment_id=row.id, import_id=import_id))


def hold(session: Session, server_id: int, since_us: int, until_us: int, kinds: Iterable[Kind] = KINDS) -> None:
    """Read series of a server whole, and cut from them whatever ``read`` is asked of them inside the span in this session."""
    held = session.info.setdefault(HELD, HeldSeries())
    for kind in kinds:
        held.put(server_id, kind, since_us, until_us, TIME[kind], read(session, [server_id], kind, since_us, until_us))


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
    if len(server_ids) == 1 and HELD in session.info:
        held: HeldSeries = session.info[HELD]
        cut = held.cut(server_ids[0], kind, since_us, until_us, columns)
        if cut is not None:
            return cut
    asked = {"servers": list(server_ids), "kind": kind, "since": since_us, "until": until_us}
    found = session.execute(IN_SPAN, asked).all()
    time = TIME[kind]
    wanted = None if columns is None else tuple(dict.fromkeys([time, *columns]))
    store = str(session.get_bind().engine.url)
    frames: dict[int, pl.DataFrame] = {}
    missing: list[tuple[int, object, Part | None]] = []
    for segment_id, _, start, end, rows, size in found:
        part = _part(start, end, since_us, until_us)
        key: object = (store, segment_id, start, end, rows, size, wanted, part)
        known = _decoded.get(key)
        if known is None:
            missing.append((segment_id, key, part))
        else:
            frames[segment_id] = known
    for at in range(0, len(missing), AT_ONCE):
        asked_for = missing[at : at + AT_ONCE]
        bodies = _bodies(session, [segment_id for segment_id, *_ in asked_for])
        here = [one for one in asked_for if one[0] in bodies]
        decoded = _decode([bodies[segment_id] for segment_id, *_ in here], wanted)
        for (segment_id, key, part), (frame, size) in zip(here, decoded, strict=True):
            if part is not None:
                whole = max(len(frame), 1)
                frame = frame.filter(pl.col(time).is_between(*part, closed="left")).rechunk()
                size = size * len(frame) // whole
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


def _part(start_us: int, end_us: int, since_us: int, until_us: int) -> Part | None:
    """By whole hours, the part of a long segment that a short span needs; None where it is better kept whole."""
    low, high = max(start_us, since_us // HOUR_US * HOUR_US), min(end_us, -(-until_us // HOUR_US) * HOUR_US)
    return (low, high) if (high - low) * 2 < end_us - start_us else None


def _bodies(session: Session, ids: Sequence[int]) -> dict[int, tuple[bytes, int]]:
    """The Parquet of segments and their rows, by number. Damaged ones are set aside and not among them."""
    query = select(Segment.id, Segment.body, Segment.rows)
    rows: list[tuple[int, bytes, int]] = []
    damaged: dict[int, str] = {}
    try:
        rows = [(i, body, count) for i, body, count in session.execute(query.where(Segment.id.in_(ids)))]
    except DatabaseError:
        for segment_id in ids:
            try:
                rows += [(i, body, count) for i, body, count in session.execute(query.where(Segment.id == segment_id))]
            except DatabaseError as error:
                damaged[segment_id] = f"the store's file is damaged there ({error.orig})"
    found: dict[int, tuple[bytes, int]] = {}
    for segment_id, body, count in rows:
        try:
            content = verified_content(body)
            if not body.startswith(MARK) and len(decode_block(body)) != count:
                raise DamagedBlock("it has another number of rows")
            found[segment_id] = content, count
        except DamagedBlock as error:
            damaged[segment_id] = error.detail
    if damaged:
        quarantine(session, damaged)
    return found


def _decode(contents: Sequence[tuple[bytes, int]], columns: tuple[str, ...] | None) -> list[tuple[pl.DataFrame, int]]:
    """A frame of each content with its number of rows, and about how many bytes it takes. Those of one shape are read
    together, which uses every core.
    """
    by_shape: dict[tuple[tuple[str, pl.DataType], ...], list[int]] = {}
    for place, (content, _) in enumerate(contents):
        schema = pl.read_parquet_schema(io.BytesIO(content))
        shape = tuple((name, kind) for name, kind in schema.items() if columns is None or name in columns)
        by_shape.setdefault(shape, []).append(place)
    frames: list[tuple[pl.DataFrame, int]] = [(pl.DataFrame(), 0)] * len(contents)
    for shape, places in by_shape.items():
        sources: list[IO[bytes]] = [io.BytesIO(contents[place][0]) for place in places]
        whole = pl.scan_parquet(sources, extra_columns="ignore").select(name for name, _ in shape).collect()
        row_size, start = whole.estimated_size() / max(len(whole), 1), 0
        for place in places:
            rows = contents[place][1]
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
        sound = Segment.id.not_in(select(DamagedSegment.segment_id))
        groups = session.execute(
            select(Segment.server_id, Segment.kind, bucket, came)
            .where(bucket * span + span + 120_000_000 < now_us, sound)
            .group_by(Segment.server_id, Segment.kind, bucket, came)
            .having(func.count() > 1)
            .having(func.sum(Segment.rows) <= MOST_ROWS)
        ).all()
        for server_id, name, number, import_id in groups:
            kind = cast(Kind, name)
            mine = (Segment.server_id == server_id, Segment.kind == kind, bucket == number, came.is_(import_id), sound)
            ids = list(session.scalars(select(Segment.id).where(*mine).order_by(Segment.start_us)))
            bodies = _bodies(session, ids)
            whole = [segment_id for segment_id in ids if segment_id in bodies]
            if len(whole) < 2:
                continue
            frame = pl.concat([pl.read_parquet(io.BytesIO(bodies[i][0])) for i in whole], how="diagonal_relaxed")
            session.execute(delete(Segment).where(Segment.id.in_(whole)))
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
