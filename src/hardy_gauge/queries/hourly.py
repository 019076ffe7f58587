"""What is made of each hour that is over is made once: its rows do not change any more, but for what is brought in later."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import segments
from hardy_gauge.store.models import Segment, Server

SETTLED_US = 5 * MINUTE_US  # by then what was recorded in an hour is stored
AT_ONCE = 32  # servers that are read together


def hourly(
    reader: Reader, servers: Sequence[Server], kind: segments.Kind, span: Span, columns: Sequence[str],
    make: Callable[[pl.DataFrame], pl.DataFrame],
) -> pl.DataFrame:  # fmt: skip
    """``make`` of the rows of every whole hour inside the span that is over, and of what is left of the span at both ends, one after the other;
    ``make`` is given frames with rows, and is a function of a module, by whose name its frames are kept. Empty without columns where nothing was recorded.
    """
    ids = tuple(sorted(server.id for server in servers))
    first, last = -(-span.since_us // HOUR_US), min(span.until_us, reader.clock() - SETTLED_US) // HOUR_US
    with reader.store.read() as session:

        def made(since_us: int, until_us: int) -> pl.DataFrame:
            frame = (
                segments.read(session, ids, kind, since_us, until_us, columns)
                if since_us < until_us
                else pl.DataFrame()
            )
            return frame if frame.is_empty() else make(frame)

        if first >= last:
            return made(span.since_us, span.until_us)
        parts = [made(span.since_us, first * HOUR_US)]
        versions = _versions(session, ids, kind, first, last)
        keys = {hour: (make.__module__, make.__name__, ids, hour) for hour in range(first, last)}
        known = {hour: reader.hours.get(keys[hour], versions[hour]) for hour in keys}
        days: dict[int, list[int]] = {}
        for hour, frame in known.items():
            if frame is None:
                days.setdefault(hour * HOUR_US // DAY_US, []).append(hour)
        for hours in days.values():
            for hour, frame in _of_a_day(session, ids, kind, hours, columns, make).items():
                known[hour] = frame
                reader.hours.put(keys[hour], frame, int(frame.estimated_size()) + 100, versions[hour])
        parts += [frame for frame in known.values() if frame is not None]
        parts.append(made(last * HOUR_US, span.until_us))
    parts = [part for part in parts if not part.is_empty()]
    return pl.concat(parts, how="diagonal") if parts else pl.DataFrame()


def _of_a_day(
    session: Session, ids: Sequence[int], kind: segments.Kind, hours: Sequence[int], columns: Sequence[str],
    make: Callable[[pl.DataFrame], pl.DataFrame],
) -> dict[int, pl.DataFrame]:  # fmt: skip
    """What is made of hours of one day, from the rows of a few servers at a time."""
    parts: dict[int, list[pl.DataFrame]] = {hour: [] for hour in hours}
    since, until = hours[0] * HOUR_US, (hours[-1] + 1) * HOUR_US
    for at in range(0, len(ids), AT_ONCE):
        rows = segments.read(session, ids[at : at + AT_ONCE], kind, since, until, columns, keep=False)
        for (hour,), of_it in _by_hour(rows, segments.TIME[kind]).items():
            if hour in parts:
                parts[int(hour)].append(make(of_it))
    found = {hour: [one for one in made if not one.is_empty()] for hour, made in parts.items()}
    return {hour: pl.concat(made, how="diagonal") if made else pl.DataFrame() for hour, made in found.items()}


def _by_hour(rows: pl.DataFrame, time: str) -> dict[tuple[object, ...], pl.DataFrame]:
    if rows.is_empty():
        return {}
    hours = rows.with_columns((pl.col(time) // HOUR_US).alias("hour of it"))
    return hours.partition_by("hour of it", as_dict=True, include_key=False, maintain_order=True)


def _versions(session: Session, ids: Sequence[int], kind: str, first: int, last: int) -> dict[int, int]:
    """By hour the rows of the segments that meet it: another number when something was brought in."""
    found = session.execute(
        select(Segment.start_us, Segment.end_us, Segment.rows).where(
            Segment.server_id.in_(ids), Segment.kind == kind, Segment.start_us < last * HOUR_US, Segment.end_us > first * HOUR_US
        )
    ).all()  # fmt: skip
    sums = np.zeros(last - first + 1, dtype=np.int64)
    for start, end, rows in found:
        sums[max(start // HOUR_US, first) - first] += rows
        sums[min((end - 1) // HOUR_US + 1, last) - first] -= rows
    return {first + place: int(total) for place, total in enumerate(np.cumsum(sums[:-1]))}
