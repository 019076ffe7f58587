"""Trials: design, start, watch, stop, and what came out."""

from __future__ import annotations

import asyncio
import math
from collections.abc import AsyncIterator
from importlib import resources
from typing import Any

import yaml
from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import selectinload

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.problems import Problem, RowId
from hardy_gauge.api.statements import statements
from hardy_gauge.api.window import CurrentWindow, find_server
from hardy_gauge.load.design import read_design
from hardy_gauge.load.targets import open_target, probe_for
from hardy_gauge.probes.protocol import IndexSpec
from hardy_gauge.probes.sqlite_settings import SETTINGS
from hardy_gauge.store.models import Cluster, Server, Snapshot, Trial

router = APIRouter(tags=["trials"])
POLL_S = 0.4
ENOUGH = 60  # executions of the goal's statement in a run
SHORTEST_S, LONGEST_S = 12, 60


class RunOut(BaseModel):
    number: int
    block: int
    arm: str
    warm_s: float
    goal: dict[str, float]
    all: dict[str, float]
    families: dict[str, float]
    failed: int


class TrialOut(BaseModel):
    id: int
    title: str
    created_us: int
    state: str
    detail: str
    done_share: float
    design: dict[str, Any]
    result: dict[str, Any] | None
    runs: list[RunOut]


class TrialLine(BaseModel):
    id: int
    title: str
    created_us: int
    state: str
    done_share: float
    sentence: str


class TrialList(BaseModel):
    sentence: str
    trials: list[TrialLine]


class TargetChoice(BaseModel):
    kind: str
    name: str
    words: str
    settings: list[dict[str, Any]]


class DraftRequest(BaseModel):
    """A trial of an index for one statement of a server, under the load recorded in the window."""

    server: str
    statement: str = Field(description="fingerprint")
    table: str
    columns: list[str] = Field(min_length=1)


def _out(trial: Trial) -> TrialOut:
    return TrialOut(
        id=trial.id, title=trial.title, created_us=trial.created_us, state=trial.state, detail=trial.detail,
        done_share=trial.done_share, design=trial.design, result=trial.result,
        runs=[RunOut(number=r.number, block=r.block, arm=r.arm, **r.figures) for r in trial.runs],
    )  # fmt: skip


def _load(data: Data, trial_id: RowId) -> Trial:
    with data.store.read() as session:
        found = session.scalar(select(Trial).where(Trial.id == trial_id).options(selectinload(Trial.runs)))
    if found is None:
        raise Problem(404, "Unknown trial", f"no trial {trial_id}", "id")
    return found


@router.get("/trials")
def list_trials(data: CurrentData) -> TrialList:
    with data.store.read() as session:
        trials = session.scalars(select(Trial).order_by(Trial.id.desc())).all()
    lines = []
    for trial in trials:
        candidates = (trial.result or {}).get("candidates") or []
        lines.append(
            TrialLine(
                id=trial.id, title=trial.title, created_us=trial.created_us, state=trial.state,
                done_share=trial.done_share, sentence=candidates[0]["sentence"] if candidates else trial.detail,
            )
        )  # fmt: skip
    running = sum(trial.state in ("waiting", "running") for trial in trials)
    count = f"{len(trials)} trials are on file" if len(trials) != 1 else "One trial is on file"
    sentence = f"{count}, {running or 'none'} running." if trials else "No trial yet. State a goal and try one change."
    return TrialList(sentence=sentence, trials=lines)


@router.get("/trials/targets")
def targets(data: CurrentData) -> list[TargetChoice]:
    """Where a trial can run: servers that play workloads, and a real SQLite file."""
    found = []
    with data.store.read() as session:
        for server in session.scalars(select(Server).order_by(Server.name)):
            if "play" in server.abilities and server.cluster.name == "lab":
                row = session.get(Snapshot, (server.id, "settings"))
                settings = row.body["settings"] if row else []
                found.append(
                    TargetChoice(
                        kind="server", name=server.name, words="lab server, plays by events", settings=settings
                    )
                )
    sqlite = [s.model_dump() for s in SETTINGS.values()]
    words = "a real SQLite file made for the trial, on the wall clock"
    return [*found, TargetChoice(kind="sample", name="library", words=words, settings=sqlite)]


def lab_server(data: Data) -> Server:
    """A server for trials; Problem when the fleet has none."""
    with data.store.read() as session:
        lab = select(Server).join(Cluster).where(Cluster.name == "lab").order_by(Server.name)
        found = next((server for server in session.scalars(lab) if "play" in server.abilities), None)
    if found is None:
        raise Problem(404, "No lab server", "no server of the fleet can play workloads", "server")
    return found


@router.post("/trials/draft")
def draft(request: DraftRequest, data: CurrentData, window: CurrentWindow) -> dict[str, Any]:
    """A design for trying an index, to be read and changed before it is started."""
    with data.store.read() as session:
        find_server(session, request.server)
    lab = lab_server(data)
    rows = statements(data, window, request.server).rows
    mine = next((i for i, r in enumerate(rows) if r.fingerprint == request.statement), None)
    if mine is None:
        raise Problem(404, "Not called in this window", "the statement was not called in this window", "statement")
    usual = rows[mine].reference_time_per_call_s or rows[mine].time_per_call_s / 10
    rate = sum(row.calls_per_s for row in rows)
    seconds = min(LONGEST_S, max(SHORTEST_S, math.ceil(ENOUGH / max(rows[mine].calls_per_s, 0.01))))
    index = IndexSpec(table=request.table, columns=request.columns)
    return {
        "title": f"Index on {request.table} ({', '.join(request.columns)})",
        "question": f"Does the index bring the statement back under its goal, with the load of {request.server}?",
        "goal": {"metric": "p95", "at_most": f"{max(1, round(usual * 3000))} ms", "statement": mine},
        "guardrails": [{"metric": "throughput", "worsen_at_most": "2%"}],
        "target": {"server": lab.name},
        "workload": {
            "arrival": {"kind": "open", "rate": f"{rate:.0f} /s"},
            "statements": [{"sql": row.text, "weight": row.calls_per_s} for row in rows],
        },
        "arms": [{"name": "control"}, {"name": "with index", "add_indexes": [index.model_dump()]}],
        "run": {"seconds": f"{seconds} s", "blocks": 5, "seed": 1},
    }


@router.get("/trials/samples/{sample}")
def sample_design(sample: str) -> dict[str, Any]:
    """The design that ships with a sample file, to start from."""
    source = resources.files("hardy_gauge.load") / "samples" / "library.yaml"
    if sample != "library":
        raise Problem(404, "Unknown sample", "the sample that ships is 'library'", "sample")
    found: dict[str, Any] = yaml.safe_load(source.read_text(encoding="utf-8"))
    return found


@router.post("/trials", status_code=201)
def start(document: dict[str, Any], data: CurrentData, request: Request) -> TrialOut:
    """Check the design against its target, store it and start it; nothing is stored when it cannot run."""
    design = read_design(document)
    if design.target.file is not None:
        detail = "target.file: files are tried from the command line; choose a server or the sample here"
        raise Problem(422, "The trial cannot be run as stated", detail, "target.file")
    if design.target.server is not None:
        with data.store.read() as session:
            find_server(session, design.target.server)
    open_target(design, probe_for(data.store, design.target)).close()
    with data.store.write() as session:
        trial = Trial(title=design.title, created_us=data.clock(), design=document)
        session.add(trial)
        session.flush()
        trial_id = trial.id
    request.app.state.workers.start_trial(trial_id)
    return _out(_load(data, trial_id))


@router.get("/trials/{trial_id}")
def one(trial_id: RowId, data: CurrentData) -> TrialOut:
    return _out(_load(data, trial_id))


@router.post("/trials/{trial_id}/stop")
def stop(trial_id: RowId, data: CurrentData) -> TrialOut:
    """Ask a running trial to stop; the runs that have ended are kept."""
    _load(data, trial_id)
    with data.store.write() as session:
        trial = session.get_one(Trial, trial_id)
        if trial.state not in ("waiting", "running"):
            raise Problem(409, "Not running", f"the trial is {trial.state}; there is nothing to stop", "id")
        trial.stop = True
    return _out(_load(data, trial_id))


@router.get("/trials/{trial_id}/events")
async def events(trial_id: RowId, data: CurrentData) -> StreamingResponse:
    """Server-sent events: the whole trial whenever it changed, until it ends."""
    await asyncio.to_thread(_load, data, trial_id)

    async def stream() -> AsyncIterator[str]:
        last = ""
        while True:
            trial = _out(await asyncio.to_thread(_load, data, trial_id))
            text = trial.model_dump_json()
            if text != last:
                last = text
                yield f"data: {text}\n\n"
            if trial.state not in ("waiting", "running"):
                return
            await asyncio.sleep(POLL_S)

    return StreamingResponse(stream(), media_type="text/event-stream")
