"""Every execution of a trial in one file, Parquet or CSV."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import polars as pl

from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.load.trial import RunResult
from hardy_gauge.store.database import Store
from hardy_gauge.store.run_executions import TRIALS, executions_of_runs

ENDINGS = (".parquet", ".csv")


class ExecutionsFile:
    """Gathers executions run by run, and tells of each run; without a path it gathers nothing. Columns: ``run``, ``block`` (-1 of a tuner's search), ``arm``,
    ``statement`` (number from 0), ``start_s`` and ``duration_s`` in seconds, ``failed``, and seconds by wait family where those are known.
    """

    def __init__(self, path: Path | None, tell: Callable[[RunResult], None]) -> None:
        self._path, self._tell = path, tell
        self._frames: list[pl.DataFrame] = []

    def check(self) -> None:
        """InvalidInput where the file cannot be written, before anything runs."""
        if self._path is None:
            return
        if self._path.suffix not in ENDINGS:
            raise InvalidInput(f"executions: {self._path.name} ends neither in .parquet nor in .csv", "executions")
        if not self._path.parent.is_dir():
            raise InvalidInput(f"executions: there is no folder {self._path.parent}", "executions")

    def add(self, result: RunResult, frame: pl.DataFrame) -> None:
        self._tell(result)
        if self._path is None or frame.is_empty():
            return
        planned = result.planned
        about = (
            pl.lit(planned.number).alias("run"),
            pl.lit(planned.block).alias("block"),
            pl.lit(planned.arm).alias("arm"),
        )
        self._frames.append(frame.select(*about, pl.all()))

    def write(self) -> None:
        """The whole file at once; InvalidInput where it cannot be written."""
        if self._path is None:
            return
        whole = pl.concat(self._frames, how="diagonal") if self._frames else pl.DataFrame()
        write = whole.write_csv if self._path.suffix == ".csv" else whole.write_parquet
        try:
            write(self._path)
        except OSError as error:
            raise InvalidInput(f"executions: {self._path}: {error.strerror or error}", "executions") from error


def write_executions(store: Store, trial_id: int, folder: Path, form: str) -> Path:
    """A file in the folder with what is kept of a trial, run by run, so that no more than a run is held in memory. NotFound where none is kept."""
    parts = []
    for number, frame in enumerate(executions_of_runs(store, trial_id)):
        parts.append(folder / f"part-{number}.parquet")
        frame.write_parquet(parts[-1])
    if not parts:
        raise NotFound(
            f"no executions of a trial {trial_id} are kept; those of the last {TRIALS} trials are",
            "trial_id",
            "Not kept",
        )
    path = folder / f"executions.{form}"
    whole = pl.concat([pl.scan_parquet(one) for one in parts], how="diagonal")
    if form == "csv":
        whole.sink_csv(path)
    else:
        whole.sink_parquet(path)
    return path
