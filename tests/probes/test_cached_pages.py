"""What a real PostgreSQL has cached, and the forecast of other sizes against servers that have them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import polars as pl
import psycopg
import pytest

from hardy_gauge.core.capacity.cache_curve import at_size
from hardy_gauge.core.capacity.cache_forecast import cache_forecast, looks_of
from hardy_gauge.errors import Unsupported
from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.outbound import Credential
from hardy_gauge.probes.sqlpack.probe import SqlPackProbe
from tests.postgres import SECRET, watched_postgres

pytestmark = pytest.mark.postgres
MIB = 2**20
FILL = """
CREATE TABLE visit (id int PRIMARY KEY, note text);
INSERT INTO visit SELECT i, repeat('x', 200) FROM generate_series(1, 240000) i;
VACUUM ANALYZE visit;
SELECT setseed(0.25)
"""
# most asked for are few, spread over the table: a number that is prime to it keeps popular rows from lying on one page
WORK = """
DO $$ DECLARE found text; wanted int; BEGIN FOR turn IN 1..15000 LOOP
  wanted := 1 + (floor(240000 * random() ^ 4)::bigint * 7919) % 240000;
  SELECT note INTO found FROM visit WHERE id = wanted;
END LOOP; END $$
"""


@contextmanager
def at_work(cache: int) -> Iterator[tuple[psycopg.Connection, SqlPackProbe]]:
    with watched_postgres(options=f"-c shared_buffers={cache}MB") as (owner, address):
        for statement in FILL.split(";"):
            owner.execute(statement.encode())
        for _ in range(4):
            owner.execute(WORK)
        probe = open_probe(address, Credential("gauge", SECRET))
        assert isinstance(probe, SqlPackProbe)
        try:
            yield owner, probe
        finally:
            probe.close()


def found_by(owner: psycopg.Connection) -> float:
    """Of all that is asked for while it works."""
    totals = "SELECT sum(blks_hit), sum(blks_read) FROM pg_stat_database"
    before = owner.execute(totals).fetchone()
    for _ in range(3):
        owner.execute(WORK)
    owner.execute("SELECT pg_stat_force_next_flush()")
    after = owner.execute(totals).fetchone()
    assert before is not None and after is not None
    hits, reads = (float(new - old) for new, old in zip(after, before, strict=True))
    return hits / (hits + reads)


def test_the_forecast_against_servers_of_other_sizes() -> None:
    with at_work(16) as (owner, probe):
        with pytest.raises(Unsupported):
            probe.cached_pages()
        (report,) = (one for one in probe.readiness().reports if one.ability == "cached_pages")
        assert not report.reported and "CREATE EXTENSION pg_buffercache" in report.remedy
        owner.execute("CREATE SCHEMA monitoring; CREATE EXTENSION pg_buffercache SCHEMA monitoring")
        assert "cached_pages" in probe.identity().abilities
        looks = []
        for number in range(6):
            if number:
                owner.execute(WORK)
                owner.execute("SELECT pg_stat_force_next_flush()")
            looks.append(probe.cached_pages().with_columns(look=pl.lit(number), at_s=pl.lit(3.0 * number)))
        frame = pl.concat(looks)
        assert frame.group_by("look").agg(pl.col("held").sum())["held"].to_list() == [16 * MIB / 8192] * 6
        (table,) = owner.execute("SELECT 'visit'::regclass::oid::text, pg_relation_size('visit') / 8192").fetchall()
        mine = frame.filter(pl.col("object") == table[0])
        assert mine["pages"].to_list() == [table[1]] * 6 and 0 < mine["held"][0] < table[1] and mine["hits"][-1] > 0
        told = looks_of(frame)
        curve = cache_forecast(told, 8192)
        assert told.full and curve is not None
        assert at_size(curve, 16 * MIB).hit_ratio == pytest.approx(found_by(owner), abs=0.03)
    for cache in (8, 32):
        with at_work(cache) as (owner, _):
            there, forecast = found_by(owner), at_size(curve, cache * MIB)
        assert forecast.low - 0.01 <= there <= forecast.high + 0.01, (cache, there, forecast)
        assert forecast.hit_ratio == pytest.approx(there, abs=0.08), (cache, there, forecast)
