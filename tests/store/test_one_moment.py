"""Reading at one moment: everything of one session, series cut from what was read once."""

from __future__ import annotations

import random

import polars as pl
from polars.testing import assert_frame_equal
from sqlalchemy import func, select

from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Cluster

MINUTE_US = 60_000_000


def clusters(store: Store) -> int:
    with store.read() as session:
        return session.scalar(select(func.count()).select_from(Cluster)) or 0


def test_what_is_written_meanwhile_is_seen_afterwards(store: Store) -> None:
    with store.moment() as session:
        assert clusters(store) == 0
        with store.write() as writing:
            writing.add(Cluster(name="new"))
        with store.read() as again:
            assert again is session
        assert clusters(store) == 0
    assert clusters(store) == 1


def test_a_moment_is_of_its_own_store(store: Store, tmp_path) -> None:  # type: ignore[no-untyped-def]
    other = Store(tmp_path / "other.db")
    with store.moment() as session, other.read() as elsewhere:
        assert elsewhere is not session
    other.close()


def test_series_that_are_held_give_what_is_read(store: Store, server: int) -> None:
    """Of segments that overlap, come late, lack a column, or are of nothing."""
    draw = random.Random(4)
    with store.write() as session:
        for number in range(12):
            at = [(draw.randrange(90)) * MINUTE_US for _ in range(draw.randrange(1, 20))]
            columns = {"at_us": at, "calls": [float(draw.randrange(9)) for _ in at]}
            if number % 3 == 0:
                columns["errors"] = [1.0] * len(at)
            segments.append(session, server, "metric", pl.DataFrame(columns))
    for _ in range(60):
        since = draw.randrange(20, 80)
        span = since * MINUTE_US, (since + draw.randrange(1, 30)) * MINUTE_US
        asked = draw.choice([None, ["calls"], ["errors", "calls"], ["nothing"]])
        with store.read() as session:
            plain = segments.read(session, [server], "metric", *span, asked)
        with store.moment() as session:
            segments.hold(session, server, 20 * MINUTE_US, 110 * MINUTE_US, ["metric", "sample"])
            cut = segments.read(session, [server], "metric", *span, asked)
            assert segments.read(session, [server], "sample", *span).is_empty()
        assert len(plain) == len(cut)
        shared = [c for c in plain.columns if c in cut.columns]
        if len(plain):
            assert set(plain.columns) <= set(cut.columns)
            assert_frame_equal(plain.select(shared).sort(shared), cut.select(shared).sort(shared))
