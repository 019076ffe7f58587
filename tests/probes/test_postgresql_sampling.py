"""Are short waits of sessions that commit seen as often as they are? The server's own clock of its log writes says it.

Source: PostgreSQL documentation, section 27.2.14 (``pg_stat_wal``: ``wal_write_time`` and ``wal_sync_time`` are the time
spent in the waits ``WALWrite`` and ``WALSync``), with ``track_wal_io_timing``.
"""

from __future__ import annotations

import math
import random
import threading
import time

import psycopg
import pytest

from hardy_gauge.probes.opening import open_probe
from tests.postgres import running_postgres

pytestmark = pytest.mark.postgres
SECONDS = 12.0
OPTIONS = "-c fsync=on -c track_wal_io_timing=on -c shared_preload_libraries=pg_stat_statements"
TIMED = "SELECT (wal_write_time + wal_sync_time) / 1000 FROM pg_stat_wal"
LOG_IO = ("IO:WALWrite", "IO:WALSync")


def commits(dsn: str, over: threading.Event) -> None:
    with psycopg.connect(dsn, autocommit=True) as desk:
        while not over.is_set():
            desk.execute("UPDATE loan SET n = n + 1 WHERE id = %s", [random.randint(1, 1000)])


def test_log_writes_are_sampled_as_often_as_the_server_times_them() -> None:
    random.seed(11)
    over = threading.Event()
    with running_postgres(OPTIONS) as owner:
        owner.execute("CREATE TABLE loan AS SELECT i AS id, 0 AS n FROM generate_series(1, 1000) i")
        owner.execute("CREATE INDEX ON loan (id)")
        probe = open_probe(f"postgresql:///postgres?host={owner.info.host}&port={owner.info.port}", "postgres")
        desks = [threading.Thread(target=commits, args=(owner.info.dsn, over)) for _ in range(2)]
        for desk in desks:
            desk.start()
        try:
            time.sleep(0.5)
            (before,) = owner.execute(TIMED).fetchone() or (0.0,)
            began, seen = time.monotonic(), []
            while time.monotonic() - began < SECONDS:
                time.sleep(random.uniform(0.005, 0.035))
                seen.append(sum(s.wait_event in LOG_IO for s in probe.sessions().sessions))
            passed = time.monotonic() - began
            (after,) = owner.execute(TIMED).fetchone() or (0.0,)
        finally:
            over.set()
            for desk in desks:
                desk.join()
            probe.close()
    true, share = (after - before) / passed, sum(seen) / len(seen)
    margin = 4 * math.sqrt(share * (1 - min(share, 0.9)) / len(seen))
    assert true > 0.02, "the server has to write its log for this to say anything"
    assert abs(share - true) < margin + 0.2 * true, f"sampled {share:.3f}, timed {true:.3f}, {len(seen)} looks"
