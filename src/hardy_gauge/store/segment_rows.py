"""Rows of stored segments, decoded, and kept as long as there is room: those of one server by segment, those of many by the hour."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import IO, NamedTuple

import numpy as np
import polars as pl
from sqlalchemy import select
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from hardy_gauge.store import hour_files
from hardy_gauge.store.blocks import MARK, DamagedBlock, decode_block, verified_content
from hardy_gauge.store.coded_texts import coded, one_after_the_other
from hardy_gauge.store.decoded_cache import DecodedCache
from hardy_gauge.store.models import Segment
from hardy_gauge.store.quarantine import quarantine

Part = tuple[int, int]
What = tuple[str, str, tuple[str, ...] | None]  # a kind, its column of times, and the columns wanted, None for all
AT_ONCE = 128
FILES_AT_ONCE = 4
KEPT_BYTES, KEPT_BYTES_A_SERVER = 48 * 2**20, 2**20
KEPT_BYTES_AT_FIRST = 192 * 2**20  # until it is known how many servers are recorded

_decoded = DecodedCache(KEPT_BYTES_AT_FIRST)


def keep_for(servers: int) -> None:
    """How much is kept in memory grows with the servers that are recorded."""
    _decoded.at_most(KEPT_BYTES + servers * KEPT_BYTES_A_SERVER)


def forget() -> None:
    """After segments were deleted: the store may give their ids to others."""
    forget_decoded()
    hour_files.forget()


def forget_decoded() -> None:
    """Keep nothing in memory."""
    _decoded.clear()


class Stored(NamedTuple):
    """A segment that meets a span, and the part of it that is decoded."""

    segment_id: int
    server_id: int
    start_us: int
    end_us: int
    rows: int
    size: int
    part: Part | None

    @property
    def since(self) -> int:
        return self.part[0] if self.part else self.start_us

    @property
    def until(self) -> int:
        return self.part[1] if self.part else self.end_us


def of_buckets(
    session: Session, store: str, what: What, buckets: Mapping[int, list[Stored]], keep: bool
) -> dict[int, pl.DataFrame]:  # fmt: skip
    """By hour, the rows of segments of several servers that begin in it, one server after the other, with ``server_id``."""
    asked = {hour: _Bucket((store, what, hour), found, keep) for hour, found in buckets.items()}
    frames = {hour: one.in_memory() for hour, one in asked.items()}
    filed = [hour for hour, frame in frames.items() if frame is None and asked[hour].files is not None]
    if filed:
        with ThreadPoolExecutor(FILES_AT_ONCE) as pool:  # files are read without the interpreter
            frames |= zip(filed, pool.map(lambda hour: asked[hour].in_file(), filed), strict=True)
    return {hour: asked[hour].decoded(session) if frame is None else frame for hour, frame in frames.items()}


class _Bucket:
    """Segments of several servers that begin in one hour; ``what`` is the store, what is read of it, and the hour."""

    def __init__(self, what: tuple[str, What, int], found: list[Stored], keep: bool) -> None:
        self._what, self._found, self._keep = what, found, keep
        servers = tuple(sorted({one.server_id for one in found}))
        self._key, self._version = (what, found[0].part, servers), tuple(found)
        # of an hour that is made up of many segments the next one adds a few; others are kept together alone
        self._many = len(found) > 2 * len(servers)
        self.files = hour_files.files_for(len(found)) if keep and not self._many else None

    def in_memory(self) -> pl.DataFrame | None:
        return _decoded.get(self._key, self._version)

    def in_file(self) -> pl.DataFrame | None:
        (kind, _, _), hour = self._what[1], self._what[2]
        whole = None if self.files is None else self.files.get(kind, hour, (self._key, self._version))
        if whole is not None:
            _decoded.put(self._key, whole, int(whole.estimated_size()), self._version)
        return whole

    def decoded(self, session: Session) -> pl.DataFrame:
        store, what, hour = self._what
        frames = decoded_segments(session, store, what, self._found, self._keep and self._many)
        found = sorted((one for one in self._found if one.segment_id in frames), key=lambda one: one.server_id)
        if not found:
            return pl.DataFrame()
        parts = [frames[one.segment_id] for one in found]
        owners = np.repeat(np.array([one.server_id for one in found], dtype=np.int32), [len(part) for part in parts])
        whole = one_after_the_other(parts).with_columns(pl.Series("server_id", owners, dtype=pl.Int32))
        if self._keep:
            whole = whole.rechunk()
            _decoded.put(self._key, whole, int(whole.estimated_size()), self._version)
        if self.files is not None:
            self.files.put(what[0], hour, (self._key, self._version), whole)
        return whole


def decoded_segments(
    session: Session, store: str, what: What, found: Sequence[Stored], keep: bool
) -> dict[int, pl.DataFrame]:  # fmt: skip
    """Rows of segments, or of the parts that are wanted of them, by number."""
    kind, time, wanted = what
    frames: dict[int, pl.DataFrame] = {}
    missing: list[tuple[Stored, object]] = []
    for one in found:
        key: object = (store, one, wanted)
        known = _decoded.get(key)
        if known is None:
            missing.append((one, key))
        else:
            frames[one.segment_id] = known
    for at in range(0, len(missing), AT_ONCE):
        asked_for = missing[at : at + AT_ONCE]
        bodies = stored_bodies(session, [one.segment_id for one, _ in asked_for])
        here = [(one, key) for one, key in asked_for if one.segment_id in bodies]
        decoded = _decode(kind, [bodies[one.segment_id] for one, _ in here], wanted)
        for (one, key), (frame, size) in zip(here, decoded, strict=True):
            if one.part is not None:
                whole = max(len(frame), 1)
                frame = frame.filter(pl.col(time).is_between(*one.part, closed="left")).rechunk()
                size = size * len(frame) // whole
            frames[one.segment_id] = frame
            if keep:
                _decoded.put(key, frame, size)
    return frames


def stored_bodies(session: Session, ids: Sequence[int]) -> dict[int, tuple[bytes, int]]:
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


def _decode(
    kind: str, contents: Sequence[tuple[bytes, int]], columns: tuple[str, ...] | None
) -> list[tuple[pl.DataFrame, int]]:
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
        whole = coded(
            kind, pl.scan_parquet(sources, extra_columns="ignore").select(name for name, _ in shape).collect()
        )
        row_size, start = whole.estimated_size() / max(len(whole), 1), 0
        for place in places:
            rows = contents[place][1]
            frames[place] = whole.slice(start, rows), int(rows * row_size)
            start += rows
    return frames
