"""Trials put on file to be run, and stopped."""

from __future__ import annotations

from typing import Any

from hardy_gauge.capture.access import AccountUser
from hardy_gauge.errors import Conflict, NotFound
from hardy_gauge.load.completed import completed
from hardy_gauge.load.design import BadTrial, read_design
from hardy_gauge.load.targets import Fleet, open_target
from hardy_gauge.queries.trials import GOING_ON
from hardy_gauge.store.database import Store
from hardy_gauge.store.servers import find_server
from hardy_gauge.store.trial_models import Trial

LARGEST_SCALE = 1.0


def file_trial(store: Store, document: dict[str, Any], now_us: int, user: AccountUser) -> int:
    """Check a design against its target and store it; returns its number. BadTrial names what is wrong."""
    design = read_design(document)
    made = design.target.postgresql
    for field, path in (
        ("target.file", design.target.file),
        ("target.postgresql.folder", made.folder if made else None),
        ("target.postgresql.dump", made.dump if made else None),
        ("target.postgresql.bundle", made.bundle if made else None),
    ):
        if path is not None:
            detail = f"{field}: files are tried from the command line; choose a server or a sample here"
            raise BadTrial(detail, field)
    for field, data in (
        ("target.standard.scale", design.target.standard),
        ("target.postgresql.standard.scale", made.standard if made else None),
    ):
        if data is not None and data.scale > LARGEST_SCALE:
            raise BadTrial(f"{field}: above {LARGEST_SCALE:g} data is made from the command line", field)
    if design.target.restart is not None:
        raise BadTrial("target.restart: commands of this machine are run from the command line only", "target.restart")
    if design.target.server is not None:
        with store.read() as session:
            find_server(session, design.target.server)
    if design.follows is not None:
        with store.read() as session:
            if session.get(Trial, design.follows) is None:
                raise BadTrial(f"follows: there is no trial {design.follows} that this one could come of", "follows")
    open_target(design, Fleet(store, user)).close()
    document = completed(document, design)
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
