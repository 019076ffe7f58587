"""The sheet of a trial with ten million executions: filed run by run as the application does, then asked for over its API."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from statistics import median

import numpy as np
import polars as pl
from fastapi.testclient import TestClient
from tests.conftest import signed_in

from benchmarks.goals import Goals, at_most
from benchmarks.timing import seconds
from hardy_gauge.api.app import create_app
from hardy_gauge.core.trials.design import PlannedRun
from hardy_gauge.load.design import read_design
from hardy_gauge.load.kinds import outcome_of
from hardy_gauge.load.trial import RunResult
from hardy_gauge.load.trial import measure as measured
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.run_executions import keep
from hardy_gauge.store.trial_models import Run, Trial

EACH, BLOCKS, SECONDS, STATEMENTS = 1_000_000, 5, 60.0, 12
ARMS = ("control", "candidate")

GOALS: Goals = {"sheet, *": at_most(2)}


def _executions(number: int) -> pl.DataFrame:
    draw = np.random.default_rng(number)
    return pl.DataFrame(
        {
            "start_s": np.sort(draw.uniform(0, SECONDS, EACH)), "duration_s": draw.lognormal(-7, 1, EACH),
            "statement": draw.integers(0, STATEMENTS, EACH), "failed": draw.random(EACH) < 1e-4,
        }
    )  # fmt: skip


def measure() -> dict[str, float]:
    """Seconds: of one run into the store, of the sheet, and of all its executions as Parquet; bytes of the store."""
    document = {
        "title": "ten million", "goal": {"metric": "p95", "at_most": "50 ms"}, "target": {"sample": "library"}, "arms": [{"name": one} for one in ARMS],
        "workload": {"statements": [{"sql": f"SELECT {number}"} for number in range(STATEMENTS)]}, "run": {"seconds": f"{SECONDS:g} s", "blocks": BLOCKS},
    }  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        settings = AppSettings(data=Path(folder), demo=True, web=Path("/nowhere"))
        store, design = Store(settings.store_path), read_design(document)
        results: list[RunResult] = []
        filing = []
        with store.write() as session:
            trial = Trial(title=design.title, created_us=1, design=document, state="finished")
            session.add(trial)
            session.flush()
            number = trial.id
        for run in range(BLOCKS * len(ARMS)):
            frame = _executions(run)
            began = time.perf_counter()
            result = measured(design, PlannedRun(run, run // len(ARMS), ARMS[run % len(ARMS)], run), frame)
            results.append(result)
            figures = {key: value for key, value in result.as_dict().items() if key != "planned"}
            with store.write() as session:
                row = Run(
                    trial_id=number, number=run, block=run // len(ARMS), arm=ARMS[run % len(ARMS)], figures=figures
                )
                session.add(row)
                keep(session, row, frame)
                session.get_one(Trial, number).result = outcome_of(design, results)
            filing.append(time.perf_counter() - began)
        with TestClient(create_app(settings, store)) as client:
            signed_in(client)
            sheet = [seconds(lambda: client.get(f"/api/trials/{number}").raise_for_status()) for _ in range(7)]
            kilobytes = len(client.get(f"/api/trials/{number}").content) / 1e3
            file = seconds(lambda: client.get(f"/api/trials/{number}/executions").raise_for_status())
        bytes_ = settings.store_path.stat().st_size
        store.close()
    return {
        "executions": float(EACH * BLOCKS * len(ARMS)), "filing a run of a million, s": median(filing), "sheet, first, s": sheet[0],
        "sheet, then, s": median(sheet[1:]), "size of the sheet, kB": kilobytes, "all executions as Parquet, s": file, "store, bytes an execution": bytes_ / (EACH * BLOCKS * len(ARMS)),
    }  # fmt: skip
