"""Every execution of the runs of the last trials, as Parquet."""

from __future__ import annotations

import io
from collections.abc import Iterator

import polars as pl
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from hardy_gauge.store.database import Store
from hardy_gauge.store.trial_models import Run, RunExecutions, Trial

TRIALS = 20  # of which executions are kept: the last ones


def keep(session: Session, run: Run, frame: pl.DataFrame) -> None:
    """The executions of a run, and no longer those of trials that are older than the last ones."""
    body = io.BytesIO()
    frame.write_parquet(body, compression="zstd")
    session.flush()
    session.add(RunExecutions(run_id=run.id, body=body.getvalue()))
    oldest = session.scalars(select(Trial.id).order_by(Trial.id.desc()).offset(TRIALS - 1).limit(1)).first()
    if oldest is not None:
        session.execute(
            delete(RunExecutions).where(RunExecutions.run_id.in_(select(Run.id).where(Run.trial_id < oldest)))
        )


def kept_runs(store: Store, trial_id: int) -> list[tuple[int, int, int, str]]:
    """Of a trial: the identity, number, block and arm of each run whose executions are kept."""
    with store.read() as session:
        query = select(Run.id, Run.number, Run.block, Run.arm).join(RunExecutions).where(Run.trial_id == trial_id)
        return [(row.id, row.number, row.block, row.arm) for row in session.execute(query.order_by(Run.number))]


def executions_of_runs(store: Store, trial_id: int) -> Iterator[pl.DataFrame]:
    """Run by run: ``run``, ``block`` (-1 of a search), ``arm``, ``statement``, ``start_s``, ``duration_s``, ``failed``, and seconds by wait
    family where they are known.
    """
    for number, run, block, arm in kept_runs(store, trial_id):
        with store.read() as session:
            body = session.scalar(select(RunExecutions.body).where(RunExecutions.run_id == number))
        if body is not None:
            about = (pl.lit(run).alias("run"), pl.lit(block).alias("block"), pl.lit(arm).alias("arm"))
            yield pl.read_parquet(io.BytesIO(body)).select(*about, pl.all())
