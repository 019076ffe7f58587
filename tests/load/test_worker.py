"""Stored trials: run in turn, stopped, failed, and found again after the application ended."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
import yaml
from sqlalchemy import func, select

from hardy_gauge.load.worker import mark_interrupted, run_stored
from hardy_gauge.store.database import Store
from hardy_gauge.store.trial_models import Run, Trial

ROOT = Path(__file__).parents[2]
DESIGN: dict[str, Any] = yaml.safe_load((ROOT / "examples/compare.yaml").read_text()) | {
    "run": {"seconds": "1 s", "blocks": 2}
}


def stored(store: Store, design: dict[str, Any] = DESIGN, **more: Any) -> int:
    with store.write() as session:
        trial = Trial(title="t", created_us=1, design=design, **more)
        session.add(trial)
        session.flush()
        return trial.id


def seen(store: Store, trial_id: int) -> Trial:
    with store.read() as session:
        return session.get_one(Trial, trial_id)


def test_a_stored_trial_runs_to_its_end(store: Store) -> None:
    trial_id = stored(store)
    run_stored(store, trial_id)
    trial = seen(store, trial_id)
    assert (trial.state, trial.done_share) == ("finished", 1.0)
    assert trial.result is not None and trial.result["blocks"] == 2
    with store.read() as session:
        assert session.scalar(select(func.count()).select_from(Run)) == 4


def test_the_run_that_goes_on_is_told_until_the_trial_has_ended(store: Store) -> None:
    trial_id = stored(store, DESIGN | {"run": {"seconds": "2.5 s", "blocks": 2}})
    told = []
    with ThreadPoolExecutor(1) as pool:
        running = pool.submit(run_stored, store, trial_id)
        while not running.done():
            if live := seen(store, trial_id).live:
                told.append(live)
            time.sleep(0.1)
        running.result()
    assert {one["arm"] for one in told} == {"control", "32 MiB cache"}
    assert max(len(one["ended"]) for one in told) >= 2 and told[-1]["seconds"] == 2.5
    assert (seen(store, trial_id).state, seen(store, trial_id).live) == ("finished", None)


def test_a_trial_stopped_before_its_turn_does_not_run(store: Store) -> None:
    trial_id = stored(store, stop=True)
    run_stored(store, trial_id)
    assert seen(store, trial_id).state == "stopped"


def test_a_trial_that_cannot_run_says_why(store: Store) -> None:
    trial_id = stored(store, DESIGN | {"target": {"server": "gone"}})
    run_stored(store, trial_id)
    trial = seen(store, trial_id)
    assert trial.state == "failed" and "gone is not a server" in trial.detail


@pytest.mark.parametrize("state", ["waiting", "running"])
def test_what_ran_when_the_application_ended_is_interrupted(store: Store, state: str) -> None:
    left, done = stored(store, state=state), stored(store, state="finished")
    assert mark_interrupted(store) == 1
    assert seen(store, left).state == "interrupted" and "start it again" in seen(store, left).detail
    assert seen(store, done).state == "finished"
