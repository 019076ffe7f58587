"""Trials on file, where a trial can run, and designs drawn up from what was recorded."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from hardy_gauge.core.narrative.trials import trials_sentence
from hardy_gauge.core.remedies.remedy import IndexChange, SettingChange
from hardy_gauge.core.time.window import Window
from hardy_gauge.core.trials.draft import index_trial, setting_trial, workload_trial
from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.store.models import Cluster, Server, StoredWorkload, Trial

LAB = "lab"
GOING_ON = ("waiting", "running")


@dataclass(frozen=True)
class TrialLine:
    """A trial in the list."""

    id: int
    title: str
    created_us: int
    state: str
    done_share: float
    sentence: str


@dataclass(frozen=True)
class TrialList:
    """All trials, the latest first."""

    sentence: str
    trials: list[TrialLine]


@dataclass(frozen=True)
class WorkloadOut:
    """A recorded or imported workload that trials can play."""

    id: int
    name: str
    statements: list[dict[str, Any]]


def workloads_of(reader: Reader) -> list[WorkloadOut]:
    """Stored workloads, the newest first."""
    with reader.store.read() as session:
        rows = session.scalars(select(StoredWorkload).order_by(StoredWorkload.id.desc()))
        return [WorkloadOut(row.id, row.name, row.statements) for row in rows]


def trial_list(reader: Reader) -> TrialList:
    """The newest first."""
    with reader.store.read() as session:
        trials = session.scalars(select(Trial).order_by(Trial.id.desc())).all()
    lines = []
    for trial in trials:
        result = trial.result or {}
        candidates = result.get("candidates") or []
        words = result.get("sentence") or (candidates[0]["sentence"] if candidates else trial.detail)
        lines.append(TrialLine(trial.id, trial.title, trial.created_us, trial.state, trial.done_share, words))
    return TrialList(trials_sentence(len(trials), sum(trial.state in GOING_ON for trial in trials)), lines)


def trial_with_runs(reader: Reader, trial_id: int) -> Trial:
    """NotFound when there is no such trial."""
    with reader.store.read() as session:
        found = session.scalar(select(Trial).where(Trial.id == trial_id).options(selectinload(Trial.runs)))
    if found is None:
        raise NotFound(f"no trial {trial_id}", "id", "Unknown trial")
    return found


def lab_server(reader: Reader) -> str:
    """The name of a server for trials; NotFound when the fleet has none."""
    with reader.store.read() as session:
        lab = select(Server).join(Cluster).where(Cluster.name == LAB).order_by(Server.name)
        found = next((server.name for server in session.scalars(lab) if "play" in server.abilities), None)
    if found is None:
        raise NotFound("no server of the fleet can play workloads", "server", "No lab server")
    return found


def index_draft(reader: Reader, window: Window, server: str, statement: str, index: IndexChange) -> dict[str, Any]:
    """A design for trying an index for a statement (fingerprint) under the load recorded in the window."""
    server_named(reader, server)
    lab = lab_server(reader)
    rows = statement_rows(reader, window, server).rows
    mine = next((i for i, row in enumerate(rows) if row.fingerprint == statement), None)
    if mine is None:
        raise NotFound("the statement was not called in this window", "statement", "Not called in this window")
    if not rows[mine].calls_per_s:
        detail = "statement: none of its calls finished in this window, so there is no rate to play; move the focus"
        raise InvalidInput(detail, "statement", "Nothing to play")
    return index_trial(index, rows, mine, server, lab)


def setting_draft(reader: Reader, window: Window, server: str, setting: SettingChange) -> dict[str, Any]:
    """A design for trying a setting under the load recorded in the window."""
    server_named(reader, server)
    lab = lab_server(reader)
    rows = statement_rows(reader, window, server).rows
    if not any(row.calls_per_s for row in rows):
        detail = "focus: no call finished in this window, so there is no load to play; move the focus"
        raise InvalidInput(detail, "focus", "Nothing to play")
    return setting_trial(setting, rows, server, lab)


def workload_draft(reader: Reader, workload_id: int) -> dict[str, Any]:
    """A design that plays a stored workload on a lab server."""
    with reader.store.read() as session:
        row = session.get(StoredWorkload, workload_id)
    if row is None:
        raise NotFound(f"there is no workload {workload_id}", "id", "Unknown workload")
    return workload_trial(row.name, row.statements, lab_server(reader))
