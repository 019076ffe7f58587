"""Bringing in ten million executions from Parquet and from JSON Lines, against DuckDB reading the file into a table."""

from __future__ import annotations

import os
import sys
import tempfile
from functools import partial
from pathlib import Path

import duckdb
import numpy as np
import polars as pl

from benchmarks.goals import Goals, at_most
from benchmarks.timing import seconds
from hardy_gauge.capture.imports import import_service
from hardy_gauge.capture.imports.reading import ImportRequest, look
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Import

ROWS = int(os.environ.get("IMPORT_ROWS", "10000000"))
DAYS = 7
# told what the columns are, since it cannot guess the times
LINES = "format = 'newline_delimited', columns = {ended_at: 'TIMESTAMP', duration_ms: 'DOUBLE', query: 'VARCHAR', \"user\": 'VARCHAR', rows: 'BIGINT'}"
START_US = 1_772_442_000_000_000

GOALS: Goals = {"*_ratio_to_duckdb": at_most(1.5)}


def made() -> pl.DataFrame:
    """Executions of 200 statements over a week."""
    rng = np.random.default_rng(3)
    texts = np.array([f"SELECT title, shelf FROM copy_{n} WHERE branch = ? AND state = ?" for n in range(200)])
    return pl.DataFrame(
        {
            "ended_at": pl.Series(START_US + np.sort(rng.integers(0, DAYS * 86_400_000_000, ROWS))).cast(
                pl.Datetime("us")
            ),
            "duration_ms": rng.lognormal(3, 1, ROWS),
            "query": texts[rng.integers(0, 200, ROWS)],
            "user": np.array(["desk_app", "web_app", "night_job"])[rng.integers(0, 3, ROWS)],
            "rows": rng.integers(0, 50, ROWS),
        }
    )


def measure() -> dict[str, float]:
    found: dict[str, float] = {"rows": float(ROWS)}
    with tempfile.TemporaryDirectory() as name:
        folder, frame = Path(name), made()
        parquet, lines = folder / "executions.parquet", folder / "executions.jsonl"
        frame.write_parquet(parquet)
        frame.write_ndjson(lines)
        del frame
        for path, read in ((parquet, f"read_parquet('{parquet}')"), (lines, f"read_json('{lines}', {LINES})")):
            kind = path.suffix[1:]
            store = Store(folder / f"{kind}.db")
            ours = seconds(partial(bring, store, path))
            with store.read() as session:
                assert (done := session.get_one(Import, 1)).accepted == ROWS, (done.state, done.detail)
            found[f"{kind}_bytes_stored_per_row"] = store.path.stat().st_size / ROWS
            store.close()
            print(f"{kind}: {ours:.1f} s", file=sys.stderr)
            connection = duckdb.connect(str(folder / f"{kind}.duckdb"))
            query = f"CREATE TABLE t AS SELECT * FROM {read}"
            theirs = seconds(partial(connection.execute, query))
            connection.close()
            found |= {f"{kind}_s": ours, f"{kind}_duckdb_s": theirs, f"{kind}_ratio_to_duckdb": ours / theirs}
    return found


def bring(store: Store, path: Path) -> None:
    layout = look(path, path.name, {}).layout
    number = import_service.hand_in(store, path.name, path, "bench", START_US)
    import_service.run_import(
        store, number, path, ImportRequest(format="table", server="east", layout=layout), START_US
    )
