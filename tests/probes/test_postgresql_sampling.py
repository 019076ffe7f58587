"""Are short waits of sessions that commit seen as often as they are? The server's own clock of its log writes says it.

Source: PostgreSQL documentation, section 27.2.14 (``pg_stat_wal``: ``wal_write_time`` and ``wal_sync_time`` are the time
spent in the waits ``WALWrite`` and ``WALSync``), with ``track_wal_io_timing``.
"""

from __future__ import annotations

import math
import random
import subprocess
import sys
import time

import pytest

from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.outbound import Credential
from tests.postgres import running_postgres

pytestmark = pytest.mark.postgres
SECONDS = 12.0
OPTIONS = "-c fsync=on -c track_wal_io_timing=on -c shared_preload_libraries=pg_stat_statements"
TIMED = "SELECT (wal_write_time + wal_sync_time) / 1000 FROM pg_stat_wal"
LOG_IO = ("IO:WALWrite", "IO:WALSync")


# processes of their own: threads of this one would stand still whenever it prepares a look, and be seen too seldom
CLIENT = """
import random, sys, psycopg
with psycopg.connect(sys.argv[1], autocommit=True) as desk:
    while True:
        desk.execute("UPDATE loan SET n = n + 1 WHERE id = %s", [random.randint(1, 1000)])
"""


def test_log_writes_are_sampled_as_often_as_the_server_times_them() -> None:
    random.seed(11)
    with running_postgres(OPTIONS) as owner:
        owner.execute("CREATE TABLE loan AS SELECT i AS id, 0 AS n FROM generate_series(1, 1000) i")
        owner.execute("CREATE INDEX ON loan (id)")
        probe = open_probe(
            f"postgresql:///postgres?host={owner.info.host}&port={owner.info.port}", Credential("postgres", "")
        )
        command = [sys.executable, "-c", CLIENT, owner.info.dsn]
        desks = [subprocess.Popen(command, stderr=subprocess.DEVNULL) for _ in range(2)]
        try:
            time.sleep(2.5)  # a session reports its times once a second
            (before,) = owner.execute(TIMED).fetchone() or (0.0,)
            began, seen = time.monotonic(), []
            while time.monotonic() - began < SECONDS:
                time.sleep(random.uniform(0.005, 0.035))
                seen.append(sum(s.wait_event in LOG_IO for s in probe.sessions().sessions))
            passed = time.monotonic() - began
            (after,) = owner.execute(TIMED).fetchone() or (0.0,)
        finally:
            for desk in desks:
                desk.kill()
                desk.wait()
            probe.close()
    true, share = (after - before) / passed, sum(seen) / len(seen)
    margin = 4 * math.sqrt(share * (1 - min(share, 0.9)) / len(seen))
    assert true > 0.02, "the server has to write its log for this to say anything"
    assert abs(share - true) < margin + 0.2 * true, f"sampled {share:.3f}, timed {true:.3f}, {len(seen)} looks"
