"""A stored trial, run in a process of its own; progress and results go to the store."""

from __future__ import annotations

import os
import signal
import sys
import threading
import time
from dataclasses import asdict
from types import FrameType

import polars as pl
from sqlalchemy import select

from hardy_gauge.errors import GaugeError
from hardy_gauge.load.design import read_design
from hardy_gauge.load.kinds import enough_of, outcome_of
from hardy_gauge.load.playing import play_trial
from hardy_gauge.load.targets import Fleet, open_target
from hardy_gauge.load.trial import RunResult, Stopped
from hardy_gauge.store import run_executions
from hardy_gauge.store.database import Store
from hardy_gauge.store.trial_models import Run, Trial

PROGRESS_S = 0.5
CLEAN_UP_S = 5.0
KILLED = "its process was killed; start it again"
INTERRUPTED = "the application ended while this trial ran; start it again"


def run_stored(store: Store, trial_id: int) -> None:
    """Run a trial that waits in the store until it ends, fails, or is stopped."""
    if not _take_turn(store, trial_id):
        end(store, trial_id, "stopped", "stopped before its first run")
        return
    with store.read() as session:
        trial = session.get_one(Trial, trial_id)
        design = read_design(trial.design)
    results: list[RunResult] = []
    reported_at, stopped = 0.0, False

    def on_run(result: RunResult, frame: pl.DataFrame) -> None:
        results.append(result)
        figures = {k: v for k, v in result.as_dict().items() if k != "planned"}
        planned = result.planned
        with store.write() as session:
            run = Run(trial_id=trial_id, number=planned.number, block=planned.block, arm=planned.arm, figures=figures)
            session.add(run)
            run_executions.keep(session, run, frame)
            trial = session.get_one(Trial, trial_id)
            trial.result, trial.live = outcome_of(design, results), None

    def progress(done: float) -> bool:
        nonlocal reported_at, stopped
        if stopped or time.monotonic() - reported_at < PROGRESS_S:
            return not stopped
        reported_at = time.monotonic()
        with store.write() as session:
            trial = session.get_one(Trial, trial_id)
            trial.done_share = done
            live = target.live()
            trial.live = None if live is None else asdict(live)
            stopped = trial.stop
        return not stopped

    try:
        target = open_target(design, Fleet(store, trial_id=trial_id))
        try:
            play_trial(design, target, on_run, progress, enough_of(design))
        finally:
            target.close()
    except Stopped:
        end(store, trial_id, "stopped", f"stopped after {len(results)} runs; they are kept")
    except GaugeError as error:
        end(store, trial_id, "failed", str(error))
    except SystemExit:
        end(store, trial_id, "interrupted", INTERRUPTED)
        raise
    else:
        end(store, trial_id, "finished", "")


def _take_turn(store: Store, trial_id: int) -> bool:
    """Wait until no earlier trial runs, so that two do not disturb each other; False when stopped meanwhile."""
    while True:
        with store.write() as session:
            trial = session.get_one(Trial, trial_id)
            earlier = select(Trial.id).where(Trial.state.in_(["waiting", "running"]), Trial.id < trial_id)
            if trial.stop:
                return False
            if session.scalar(earlier) is None:
                trial.state, trial.detail = "running", ""
                return True
            trial.detail = "waiting for an earlier trial to end"
        time.sleep(PROGRESS_S)


def end(store: Store, trial_id: int, state: str, detail: str) -> None:
    with store.write() as session:
        trial = session.get_one(Trial, trial_id)
        trial.state, trial.detail, trial.live = state, detail, None
        if state == "finished":
            trial.done_share = 1.0


def mark_interrupted(store: Store) -> int:
    """Trials that were running when the application ended are found again as "interrupted"; returns how many."""
    with store.write() as session:
        left = session.scalars(select(Trial).where(Trial.state.in_(["waiting", "running"]))).all()
        for trial in left:
            trial.state, trial.detail, trial.live = "interrupted", INTERRUPTED, None
        return len(left)


def mark_ended(store: Store, trial_id: int, code: int) -> None:
    """A trial whose process is gone without having said how it ended."""
    with store.write() as session:
        trial = session.get_one(Trial, trial_id)
        if trial.state in ("waiting", "running"):
            trial.live = None
            trial.state, trial.detail = (
                ("interrupted", KILLED)
                if code < 0
                else ("failed", f"its process ended with {code} before the trial did")
            )


def end_with_parent() -> None:
    """End this process, with what it has to clean up, on SIGTERM and as soon as whoever started it is gone: standard
    input is a pipe that only the parent keeps open.
    """
    signal.signal(signal.SIGTERM, _leave)
    threading.Thread(target=_follow_parent, name="parent", daemon=True).start()


def _leave(_: int, __: FrameType | None) -> None:
    sys.exit(1)


def _follow_parent() -> None:
    while os.read(
        sys.stdin.fileno(), 4096
    ):  # not through its buffer, whose lock would be held at the end of this process
        pass
    os.kill(os.getpid(), signal.SIGTERM)
    time.sleep(CLEAN_UP_S)
    os._exit(1)
