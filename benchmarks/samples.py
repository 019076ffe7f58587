"""Storing session samples, and a two-column ledger over 5 million of them, against DuckDB on Parquet."""

from __future__ import annotations

import tempfile
from pathlib import Path

import duckdb
import numpy as np
import polars as pl

from benchmarks.timing import seconds, side_by_side
from hardy_gauge.core.activity.ledger import entries
from hardy_gauge.store import segment_rows, segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Cluster, Server

ROWS, DAYS = 5_000_000, 8
DAY_US = segments.DAY_US


def made() -> pl.DataFrame:
    rng = np.random.default_rng(1)
    events = np.array(["page_read", "running", "log_flush", "send_rows", "row_lock", "run_queue"])
    families = np.array(["data read", "processor", "log write", "client", "row lock", "processor"])
    which = rng.choice(6, ROWS, p=[0.5, 0.2, 0.12, 0.1, 0.05, 0.03])
    return pl.DataFrame(
        {
            "at_us": np.sort(rng.integers(0, DAYS * 86_400, ROWS)) * 1_000_000,
            "session": rng.integers(1, 240, ROWS),
            "statement": rng.zipf(1.6, ROWS).clip(1, 400).astype(np.int32),
            "wait_event": events[which],
            "wait_family": families[which],
            "user": rng.choice(np.array(["desk_app", "web_app", "night_job"]), ROWS),
            "service": rng.choice(np.array(["returns", "lending", "web", "notices"]), ROWS),
            "database": np.full(ROWS, "desk"),
        }
    )


def measure() -> dict[str, float]:
    frame = made()
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "bench.db")
        with store.write() as session:
            cluster = Cluster(name="c")
            session.add(cluster)
            session.flush()
            server = Server(
                name="s", cluster_id=cluster.id, role="single", engine="practice", engine_version="", address=""
            )
            session.add(server)
            session.flush()
            server_id = server.id

        def put() -> None:
            for day in range(DAYS):
                part = frame.filter(pl.col("at_us").is_between(day * DAY_US, (day + 1) * DAY_US - 1))
                with store.write() as session:
                    segments.append(session, server_id, "sample", part)

        stored_s = seconds(put)
        parquet = Path(folder) / "samples.parquet"
        loaded_s = seconds(lambda: frame.write_parquet(parquet, compression="zstd"))
        connection = duckdb.connect()

        def ledger() -> None:
            segment_rows.forget()
            with store.read() as session:
                found = segments.read(session, [server_id], "sample", 0, 2**62, ["wait_family", "statement"])
            entries(found, ["wait_family", "statement"], DAYS * 86_400)

        def counted() -> None:
            segment_rows.forget()
            with store.read() as session:
                found = segments.read(session, [server_id], "sample", 0, 2**62, ["wait_family", "statement"])
            found.group_by("wait_family", "statement").len()

        def duck() -> None:
            connection.execute(f"SELECT wait_family, statement, count(*) FROM '{parquet}' GROUP BY ALL").fetchall()

        plain_s, duck_s = side_by_side(counted, duck, 3)
        margins_s, _ = side_by_side(ledger, duck, 3)
        size = store.path.stat().st_size
        store.close()
    return {
        "samples_stored_per_s": ROWS / stored_s,
        "parquet_written_per_s": ROWS / loaded_s,
        "stored_ratio_to_plain_parquet": loaded_s / stored_s,
        "stored_bytes_per_sample": size / ROWS,
        "ledger_sums_s": plain_s,
        "ledger_with_margins_s": margins_s,
        "duckdb_s": duck_s,
        "ledger_sums_ratio_to_duckdb": plain_s / duck_s,
        "ledger_with_margins_ratio_to_duckdb": margins_s / duck_s,
    }
