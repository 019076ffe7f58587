"""Series in the store: append, read back only the columns asked for, compact small segments into days."""

from __future__ import annotations

import io
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal, cast, get_args

import polars as pl
from sqlalchemy import bindparam, delete, func, select
from sqlalchemy.orm import Session

from hardy_gauge.store import hour_files
from hardy_gauge.store.blocks import encode_block
from hardy_gauge.store.coded_texts import coded, one_after_the_other, spelt_out, stored_texts
from hardy_gauge.store.held_series import HeldSeries
from hardy_gauge.store.models import DamagedSegment, ImportSegment, Segment
from hardy_gauge.store.segment_rows import Part, Stored, decoded_segments, of_buckets, stored_bodies

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
HELD = "held series"  # in a session's info


# built once, for it is asked all the time
IN_SPAN = (
    select(Segment.id, Segment.server_id, Segment.start_us, Segment.end_us, Segment.rows, func.length(Segment.body))
    .where(
        Segment.server_id.in_(select(func.json_each(bindparam("servers")).table_valued("value").c.value)),
        Segment.kind == bindparam("kind"),
        Segment.start_us < bindparam("until"),
        Segment.end_us > bindparam("since"),
        Segment.id.not_in(select(DamagedSegment.segment_id)),
    )
    .order_by(Segment.start_us)
)


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
    frame = stored_texts(kind, frame.sort(time))
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
    keep: bool = True,
    as_codes: bool = False,
) -> pl.DataFrame:
    """Rows in ``[since, until)`` with a ``server_id`` column, each server's segments in the order in which they begin; ``columns`` besides the
    time, all when None. ``keep``: decoded rows may be asked for again soon. ``as_codes``: texts
    of which there are few stay ``Categorical``, for many rows.

    A column that a segment lacks is null there. Without any row an empty frame comes back.
    """
    if len(server_ids) == 1 and HELD in session.info:
        held: HeldSeries = session.info[HELD]
        cut = held.cut(server_ids[0], kind, since_us, until_us, columns)
        if cut is not None:
            return coded(kind, cut) if as_codes else cut

    def form(frame: pl.DataFrame) -> pl.DataFrame:
        return frame if as_codes else spelt_out(frame)

    single = len(server_ids) == 1
    # of many whole hours, so that what is kept of an hour serves every span in it
    low, high = (since_us, until_us) if single else (since_us // HOUR_US * HOUR_US, -(-until_us // HOUR_US) * HOUR_US)
    asked = {"servers": json.dumps(list(server_ids)), "kind": kind, "since": low, "until": high}
    time, wanted = TIME[kind], None if columns is None else tuple(dict.fromkeys([TIME[kind], *columns]))
    store, what = str(session.get_bind().engine.url), (str(kind), time, wanted)
    found = [
        Stored(number, server_id, start, end, rows, size, _part(start, end, since_us, until_us))
        for number, server_id, start, end, rows, size in session.execute(IN_SPAN, asked)
    ]

    def inside(frame: pl.DataFrame, of: Sequence[Stored]) -> pl.DataFrame:
        if all(one.since >= since_us and one.until <= until_us for one in of):
            return frame
        return frame.filter(pl.col(time).is_between(since_us, until_us, closed="left"))

    if single:
        decoded = decoded_segments(session, store, what, found, keep)
        frames = [inside(decoded[one.segment_id], [one]) for one in found if one.segment_id in decoded]
        owner = pl.lit(server_ids[0], dtype=pl.Int32).alias("server_id")
        return form(one_after_the_other(frames).with_columns(owner)) if frames else pl.DataFrame()
    buckets: dict[int, list[Stored]] = {}
    for one in found:
        buckets.setdefault(max(one.start_us, low) // HOUR_US, []).append(one)
    rows = of_buckets(session, store, what, buckets, keep)
    frames = [inside(rows[hour], buckets[hour]) for hour in sorted(rows) if not rows[hour].is_empty()]
    return form(one_after_the_other(frames)) if frames else pl.DataFrame()


def _part(start_us: int, end_us: int, since_us: int, until_us: int) -> Part | None:
    """By whole hours, the part of a long segment that a short span needs; None where it is better kept whole."""
    low, high = max(start_us, since_us // HOUR_US * HOUR_US), min(end_us, -(-until_us // HOUR_US) * HOUR_US)
    return (low, high) if (high - low) * 2 < end_us - start_us else None


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
            bodies = stored_bodies(session, ids)
            whole = [segment_id for segment_id in ids if segment_id in bodies]
            if len(whole) < 2:
                continue
            frame = pl.concat([pl.read_parquet(io.BytesIO(bodies[i][0])) for i in whole], how="diagonal_relaxed")
            session.execute(delete(Segment).where(Segment.id.in_(whole)))
            append(session, server_id, kind, frame, import_id)
            merged += 1
    return merged


def stamp(session: Session) -> str:
    """Another one whenever segments were stored or deleted."""
    found = session.execute(
        select(func.count(), func.sum(Segment.id), func.max(Segment.id), func.sum(Segment.rows))
    ).one()
    return "-".join(map(str, found))


def drop_before(session: Session, kind: Kind, before_us: int) -> int:
    """Retention: delete the recorded segments of a series that end before a time, not imported ones; returns
    how many.
    """
    hour_files.forget(kind, before_us)
    brought = select(ImportSegment.segment_id)
    found = session.execute(
        delete(Segment).where(Segment.kind == kind, Segment.end_us < before_us, Segment.id.not_in(brought))
    )
    return int(getattr(found, "rowcount", 0))
