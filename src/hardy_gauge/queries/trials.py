"""Trials on file, where a trial can run, and designs drawn up from what was recorded."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from hardy_gauge.core.figures.formatting import counted
from hardy_gauge.core.narrative.trials import trials_sentence, way_back_sentence
from hardy_gauge.core.plans.comparison import PlanComparison, compare_plans
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.core.time.window import Window
from hardy_gauge.core.trials.design import STATE_THEIR_ARMS
from hardy_gauge.core.trials.draft import Change, index_trial, setting_trial, workload_trial
from hardy_gauge.core.trials.line import changed_in
from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.store.models import Server, StoredWorkload
from hardy_gauge.store.servers import is_lab
from hardy_gauge.store.trial_models import Trial, WayBack

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
    follows: int | None


@dataclass(frozen=True)
class LineStep:
    """A trial of a line: what it changed against the one it came of, and what came out."""

    id: int
    title: str
    state: str
    follows: int | None
    changed: list[str]
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
    lines = [
        TrialLine(one.id, one.title, one.created_us, one.state, one.done_share, _outcome(one), one.design.get("follows"))
        for one in trials
    ]  # fmt: skip
    return TrialList(trials_sentence(len(trials), sum(trial.state in GOING_ON for trial in trials)), lines)


def _outcome(trial: Trial) -> str:
    result = trial.result or {}
    candidates = result.get("candidates") or []
    return str(result.get("sentence") or (candidates[0]["sentence"] if candidates else trial.detail))


def line_of(reader: Reader, trial_id: int) -> list[LineStep]:
    """All trials that came of the same first one, in the order in which they were filed; empty where this one stands alone."""
    with reader.store.read() as session:
        follows = select(Trial.id, Trial.design["follows"].as_integer()).order_by(Trial.id)
        before = {number: of for number, of in session.execute(follows)}
        first = trial_id
        while (of := before.get(first)) in before and of is not None and of < first:
            first = of
        mine = {first}
        for number, of in before.items():  # what came of another was filed after it
            if of in mine:
                mine.add(number)
        if len(mine) < 2:
            return []
        trials = {one.id: one for one in session.scalars(select(Trial).where(Trial.id.in_(mine)).order_by(Trial.id))}
    return [
        LineStep(one.id, one.title, one.state, before[one.id], _changed(trials, one, before[one.id]), _outcome(one))
        for one in trials.values()
    ]


def _changed(trials: Mapping[int, Trial], trial: Trial, follows: int | None) -> list[str]:
    return changed_in(trials[follows].design, trial.design) if follows is not None and follows in trials else []


def again(reader: Reader, trial_id: int) -> dict[str, Any]:
    """The design of a trial to be filed once more with something changed."""
    trial = trial_with_runs(reader, trial_id)
    made = trial.design.get("kind", "compare") not in STATE_THEIR_ARMS
    return {name: part for name, part in trial.design.items() if not (made and name == "arms")} | {"follows": trial.id}


def trial_with_runs(reader: Reader, trial_id: int) -> Trial:
    """NotFound when there is no such trial."""
    with reader.store.read() as session:
        found = session.scalar(select(Trial).where(Trial.id == trial_id).options(selectinload(Trial.runs)))
    if found is None:
        raise NotFound(f"no trial {trial_id}", "id", "Unknown trial")
    return found


@dataclass(frozen=True)
class WayBackOut:
    """What sets a server back that a trial changed, and whether it is as it was."""

    sentence: str
    done_us: int | None
    words: list[str]
    sql: list[str]


def ways_back_of(reader: Reader, trial_id: int) -> list[WayBackOut]:
    """Of a trial on a lab server; empty where it changed none."""
    with reader.store.read() as session:
        rows = session.execute(
            select(WayBack, Server.name, Trial.state)
            .join(Server, WayBack.server_id == Server.id)
            .join(Trial, WayBack.trial_id == Trial.id)
            .where(WayBack.trial_id == trial_id)
            .order_by(WayBack.id)
        ).all()
    return [
        WayBackOut(
            way_back_sentence(server, row.done_us is not None, state in GOING_ON, row.problem, bool(row.commands)), row.done_us,
            [one["words"] for one in row.commands], [one["sql"] for one in row.commands],
        )
        for row, server, state in rows
    ]  # fmt: skip


@dataclass(frozen=True)
class PlansOfArms:
    """The plans that two arms of a trial have for a statement."""

    sql: str
    first: str
    second: str
    comparison: PlanComparison


def plans_of_arms(reader: Reader, trial_id: int, statement: int, first: str, second: str) -> PlansOfArms:
    """NotFound where the trial has no such statement, or an arm has no plan for it."""
    trial = trial_with_runs(reader, trial_id)
    texts = trial.design["workload"]["statements"]
    if statement >= len(texts):
        raise NotFound(
            f"statement: the trial has {counted(len(texts), 'statement')}, numbered from 0",
            "statement",
            "Unknown statement",
        )
    plans = []
    for name, arm in (("first", first), ("second", second)):
        kept: list[dict[str, Any] | None] = next(
            (run.figures["plans"] for run in trial.runs if run.arm == arm and run.figures.get("plans")), []
        )
        if statement >= len(kept) or kept[statement] is None:
            raise NotFound(f"{name}: no plan of this statement was told in an arm '{arm}'", name, "No such plan")
        plans.append(read_document(kept[statement]))
    return PlansOfArms(texts[statement]["sql"], first, second, compare_plans(*plans))


def lab_server(reader: Reader) -> str:
    """The name of a server for trials; NotFound when the fleet has none."""
    with reader.store.read() as session:
        servers = session.scalars(select(Server).where(Server.retired_us.is_(None)).order_by(Server.name))
        found = next((server.name for server in servers if is_lab(server) and "play" in server.abilities), None)
    if found is None:
        raise NotFound("no server of the fleet can play workloads", "server", "No lab server")
    return found


def change_draft(reader: Reader, window: Window, server: str, change: Change) -> dict[str, Any]:
    """A design for trying a change under the load of a server recorded in the window, on a lab server that plays it."""
    server_named(reader, server)
    lab = lab_server(reader)
    rows = statement_rows(reader, window, server).rows
    if change.setting is not None:
        if not any(row.calls_per_s for row in rows):
            detail = "focus: no call finished in this window, so there is no load to play; move the focus"
            raise InvalidInput(detail, "focus", "Nothing to play")
        return setting_trial(change, rows, server, lab)
    mine = next((i for i, row in enumerate(rows) if row.fingerprint == change.statement), None)
    if mine is None:
        raise NotFound("the statement was not called in this window", "statement", "Not called in this window")
    if not rows[mine].calls_per_s:
        detail = "statement: none of its calls finished in this window, so there is no rate to play; move the focus"
        raise InvalidInput(detail, "statement", "Nothing to play")
    return index_trial(change, rows, mine, server, lab)


def workload_draft(reader: Reader, workload_id: int) -> dict[str, Any]:
    """A design that plays a stored workload on a lab server."""
    with reader.store.read() as session:
        row = session.get(StoredWorkload, workload_id)
    if row is None:
        raise NotFound(f"there is no workload {workload_id}", "id", "Unknown workload")
    return workload_trial(row.name, row.statements, lab_server(reader))
