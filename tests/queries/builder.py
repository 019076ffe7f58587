"""A store filled by hand: servers, minutes of counters and statements, seconds of samples, all of it known."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from typing import Any

import numpy as np
import polars as pl

from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, SECOND_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState, Cluster, Gap, Server, Statement

NOW = int(datetime(2026, 11, 24, 15, tzinfo=UTC).timestamp() * 1e6)  # a Tuesday
Load = Callable[[np.ndarray], np.ndarray]


class Built:
    """Adds to a store; ``reader`` reads it as of ``NOW``."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.reader = Reader(store, lambda: NOW)

    def server(self, name: str, cluster: str = "quay", **more: Any) -> int:
        with self.store.write() as session:
            home = session.query(Cluster).filter_by(name=cluster).first() or Cluster(name=cluster)
            session.add(home)
            session.flush()
            given = {"role": "primary", "engine": "practice", "engine_version": "4.1", "address": f"http://x/{name}"}
            given |= {"abilities": ["sessions", "statements", "counters"]} | more
            server = Server(name=name, cluster_id=home.id, **given)
            server.capture = CaptureState(recorded_until_us=NOW, seen_us=NOW)
            session.add(server)
            session.flush()
            return server.id

    def statement(self, text: str) -> int:
        with self.store.write() as session:
            row = Statement(fingerprint=f"f-{text[:12]}", text=text, kind="select", first_seen_us=1)
            session.add(row)
            session.flush()
            return row.id

    def minutes(self, server: int, since_us: int, until_us: int, load: Load | float, calls_per_s: float = 10.0) -> None:
        """Counters of every minute: ``load`` active sessions, as a figure or a function of the minutes' starts."""
        at = np.arange(since_us // MINUTE_US * MINUTE_US, until_us, MINUTE_US)
        active = np.broadcast_to(load, at.shape) if isinstance(load, int | float) else load(at)
        frame = pl.DataFrame({"at_us": at, "span_s": 60.0, "time_s": active * 60.0, "calls": calls_per_s * 60.0})
        self.rows(server, "metric", frame)

    def calls(
        self, server: int, statement: int, since_us: int, until_us: int, calls_per_s: float, each_s: float
    ) -> None:
        """A statement's intervals of every minute."""
        at = np.arange(since_us // MINUTE_US * MINUTE_US, until_us, MINUTE_US)
        calls = calls_per_s * 60.0
        frame = pl.DataFrame(
            {"at_us": at, "span_s": 60.0, "calls": calls, "time_s": calls * each_s, "rows_returned": calls,
             "rows_examined": 5.0 * calls, "user": "u", "service": "s", "database": "d", "plan_key": "p"}
        ).with_columns(pl.lit(statement, dtype=pl.Int32).alias("statement"))  # fmt: skip
        self.rows(server, "statement", frame)

    def sessions(
        self, server: int, span: Span, count: int, statement: int = -1, family: str = "processor", **more: Any
    ) -> None:
        """``count`` sessions at work in every second of a span."""
        at = np.repeat(np.arange(span.since_us // SECOND_US * SECOND_US, span.until_us, SECOND_US), count)
        frame = pl.DataFrame({"at_us": at, "session": np.tile(np.arange(count), len(at) // max(count, 1))}).with_columns(
            pl.lit(statement, dtype=pl.Int32).alias("statement"), pl.lit(family).alias("wait_family"),
            pl.lit(f"{family} event").alias("wait_event"), pl.lit("u").alias("user"), pl.lit("s").alias("service"),
            pl.lit("d").alias("database"), *(pl.lit(value).alias(name) for name, value in more.items()),
        )  # fmt: skip
        self.rows(server, "sample", frame)

    def rows(self, server: int, kind: segments.Kind, frame: pl.DataFrame) -> None:
        with self.store.write() as session:
            segments.append(session, server, kind, frame)

    def gap(self, server: int, kind: str, since_us: int, until_us: int | None) -> None:
        with self.store.write() as session:
            session.add(Gap(server_id=server, kind=kind, from_us=since_us, to_us=until_us, reason="test"))


def earlier(days: Sequence[int], span: Span) -> list[Span]:
    """The span moved back by whole days."""
    return [span.moved(-day * DAY_US) for day in days]


HOUR = Span(NOW - HOUR_US, NOW)
