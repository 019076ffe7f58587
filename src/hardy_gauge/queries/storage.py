"""What recording costs: bytes stored and time taken on each server, limits, and when they are reached."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.core.narrative.capture import nothing_recorded
from hardy_gauge.core.narrative.storage import storage_sentence
from hardy_gauge.core.time.span import HOUR_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import FLEET, servers_in
from hardy_gauge.store.limits import Limits, limits_of
from hardy_gauge.store.models import DamagedSegment, Segment, Server
from hardy_gauge.store.use import use_of

COLUMNS = ("span_s", "capture_calls_made", "capture_call_s", "capture_core_s", "capture_s")


@dataclass(frozen=True)
class Price:
    """Of the last hour. ``requests_per_s`` and ``waited_share`` are seen from here, ``core_share`` is of a core here;
    ``server_share`` is counted by the server itself, as a share of one core or session, where it can; None where
    nothing is reported.
    """

    server: str
    bytes_a_day: float
    requests_per_s: float | None
    waited_share: float | None
    core_share: float | None
    server_share: float | None


@dataclass(frozen=True)
class DamagedOut:
    """A stored block that is left out of every answer: of which server and series, over which span, and why."""

    server: str
    kind: str
    since_us: int
    until_us: int
    rows: int
    found_us: int
    why: str


@dataclass(frozen=True)
class StorageUse:
    """Bytes in all and by series, what they grow by a day, and days until the limit, where one is set."""

    sentence: str
    used_bytes: int
    bytes_a_day: float
    days_left: float | None
    by_kind: dict[str, int]
    limits: Limits
    prices: list[Price]
    damaged: list[DamagedOut]


def storage_use(reader: Reader) -> StorageUse:
    """The price of recording the fleet."""
    servers, now = servers_in(reader, FLEET), reader.clock()
    with reader.store.read() as session:
        limits = limits_of(session)
        use = use_of(session, now, limits.most_bytes)
        damaged = _damaged(session)
    failure = reader.store.health.failure
    with reader.read_ahead([server.id for server in servers], Span(now - HOUR_US, now), COLUMNS):
        prices = [_price(reader, server, use.by_server_a_day.get(server.id, 0.0), now) for server in servers]
    sentence = storage_sentence(
        use.used_bytes, use.bytes_a_day, limits.most_bytes, use.days_left, [price.core_share for price in prices],
        len(damaged), nothing_recorded(failure.why, failure.since_us) if failure else "",
    )  # fmt: skip
    return StorageUse(sentence, use.used_bytes, use.bytes_a_day, use.days_left, use.by_kind, limits, prices, damaged)


def _damaged(session: Session) -> list[DamagedOut]:
    rows = session.execute(
        select(
            Server.name, Segment.kind, Segment.start_us, Segment.end_us, Segment.rows, DamagedSegment.found_us,
            DamagedSegment.why,
        )
        .join(Segment, Segment.id == DamagedSegment.segment_id)
        .join(Server, Server.id == Segment.server_id)
        .order_by(DamagedSegment.found_us.desc())
    )  # fmt: skip
    return [DamagedOut(*row) for row in rows]


def _price(reader: Reader, server: Server, bytes_a_day: float, now: int) -> Price:
    frame = reader.counters([server.id], Span(now - HOUR_US, now), COLUMNS)
    known = frame.drop_nulls("capture_call_s") if "capture_call_s" in frame.columns else pl.DataFrame()
    if known.is_empty():
        return Price(server.name, bytes_a_day, None, None, None, None)
    seconds = float(known["span_s"].sum())

    def per_s(name: str) -> float | None:
        return float(known[name].sum()) / seconds if name in known.columns and known[name].count() else None

    return Price(
        server.name, bytes_a_day, per_s("capture_calls_made"), per_s("capture_call_s"), per_s("capture_core_s"),
        per_s("capture_s"),
    )  # fmt: skip
