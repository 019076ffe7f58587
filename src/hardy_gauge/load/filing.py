"""Trials put on file to be run, and stopped."""

from __future__ import annotations

from typing import Any

from hardy_gauge.errors import Conflict, NotFound
from hardy_gauge.load.design import BadTrial, read_design
from hardy_gauge.load.targets import open_target, probe_for
from hardy_gauge.queries.trials import GOING_ON
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Trial
from hardy_gauge.store.servers import find_server


def file_trial(store: Store, document: dict[str, Any], now_us: int) -> int:
    """Check a design against its target and store it; returns its number. BadTrial names what is wrong."""
    design = read_design(document)
    made = design.target.postgresql
    for field, path in (
        ("target.file", design.target.file),
        ("target.postgresql.folder", made.folder if made else None),
    ):
        if path is not None:
            detail = f"{field}: files are tried from the command line; choose a server or a sample here"
            raise BadTrial(detail, field)
    if design.target.server is not None:
        with store.read() as session:
            find_server(session, design.target.server)
    open_target(design, probe_for(store, design.target)).close()
    if not document.get("arms"):  # those that its kind makes
        document = document | {"arms": [arm.model_dump(mode="json", exclude_defaults=True) for arm in design.arms]}
    with store.write() as session:
        trial = Trial(title=design.title, created_us=now_us, design=document)
        session.add(trial)
        session.flush()
        return trial.id


def stop_trial(store: Store, trial_id: int) -> None:
    """Ask a trial to stop; Conflict when it has ended."""
    with store.write() as session:
        trial = session.get(Trial, trial_id)
        if trial is None:
            raise NotFound(f"no trial {trial_id}", "id", "Unknown trial")
        if trial.state not in GOING_ON:
            raise Conflict(f"the trial is {trial.state}; there is nothing to stop", "id", "Not running")
        trial.stop = True
