"""A ledger of 7 days and 50 servers by two dimensions with a filter, against DuckDB over the same samples in Parquet.

``kept`` is what is asked again; the others are of a process that has nothing in memory, with the files that the last one left.
``never_asked`` is decoded from the store's blocks.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

import duckdb
import polars as pl

from benchmarks.goals import Goals, at_most
from benchmarks.samples import made
from benchmarks.timing import side_by_side
from hardy_gauge.core.activity.ledger import entries
from hardy_gauge.store import hour_files, segment_rows, segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Cluster, Server

SERVERS, DAYS = 50, 7
DAY_US = segments.DAY_US
BY = ["wait_family", "service"]

GOALS: Goals = {"kept_*_ratio_to_duckdb": at_most(1.0), "*_ratio_to_duckdb": at_most(1.5)}


def measure() -> dict[str, float]:
    frame = (
        made()
        .filter(pl.col("at_us") < DAYS * DAY_US)
        .with_columns(server_id=(pl.int_range(pl.len()) % SERVERS + 1).cast(pl.Int32))
    )
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "bench.db")
        with store.write() as session:
            session.add(Cluster(name="c"))
            session.flush()
            for number in range(SERVERS):
                session.add(
                    Server(
                        name=f"s{number}",
                        cluster_id=1,
                        role="single",
                        engine="practice",
                        engine_version="",
                        address=str(number),
                    )
                )
            session.flush()
            for (server, _), part in frame.group_by("server_id", pl.col("at_us") // DAY_US):
                segments.append(session, int(str(server)), "sample", part.drop("server_id"))
        parquet = Path(folder) / "samples.parquet"
        frame.write_parquet(parquet, compression="zstd")
        connection = duckdb.connect()
        hour_files.use(hour_files.HourFiles(Path(folder) / "hours"))
        query = f"SELECT wait_family, service, count(*) FROM '{parquet}' WHERE \"user\" = 'desk_app' GROUP BY ALL"

        def read(kept: bool) -> pl.DataFrame:
            if not kept:
                segment_rows.forget_decoded()
            with store.read() as session:
                found = segments.read(session, range(1, SERVERS + 1), "sample", 0, 2**62, [*BY, "user"], as_codes=True)
            return found.filter(pl.col("user") == "desk_app")

        def sums(kept: bool = False) -> list[tuple[object, ...]]:
            return sorted(read(kept).group_by(BY).agg(pl.len()).rows())

        def never_asked() -> None:
            segment_rows.forget()
            sums()

        def whole(kept: bool = False) -> None:
            entries(read(kept), BY, DAYS * 86_400)

        def duck() -> list[tuple[object, ...]]:
            return sorted(connection.execute(query).fetchall())

        assert sums() == duck(), "both count the same"
        sums_s, duck_s = side_by_side(sums, duck, 3)
        whole_s, _ = side_by_side(whole, duck, 3)
        never_s, _ = side_by_side(never_asked, duck, 3)
        kept_s, _ = side_by_side(lambda: sums(kept=True), duck, 3)
        kept_whole_s, _ = side_by_side(lambda: whole(kept=True), duck, 3)
        hour_files.use(None)
        store.close()
    return {
        "samples": float(len(frame)), "never_asked_sums_s": never_s, "sums_s": sums_s, "with_margins_s": whole_s, "kept_sums_s": kept_s, "duckdb_s": duck_s,
        "kept_with_margins_ratio_to_duckdb": kept_whole_s / duck_s,
        "kept_sums_ratio_to_duckdb": kept_s / duck_s, "sums_ratio_to_duckdb": sums_s / duck_s, "with_margins_ratio_to_duckdb": whole_s / duck_s,
    }  # fmt: skip
