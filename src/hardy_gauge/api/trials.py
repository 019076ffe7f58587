"""Trials: design, start, watch, stop, and what came out."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field, model_validator

from hardy_gauge.api.current import CurrentReader, CurrentWindow
from hardy_gauge.api.problems import RowId
from hardy_gauge.core.remedies.remedy import IndexChange, SettingChange
from hardy_gauge.load.choices import TargetChoice, sample_document, target_choices
from hardy_gauge.load.filing import file_trial, stop_trial
from hardy_gauge.load.words import DesignWords, arm_sessions, design_words
from hardy_gauge.queries.trials import GOING_ON, TrialList, index_draft, setting_draft, trial_list, trial_with_runs
from hardy_gauge.store.models import Trial

router = APIRouter(tags=["trials"])
POLL_S = 0.4


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
    words: DesignWords
    active_sessions: dict[str, float] = Field(description="of each arm; empty where waits are not reported")


class DraftRequest(BaseModel):
    """A trial under the load of a server recorded in the window: of an index for one statement, or of a setting."""

    server: str
    statement: str = Field("", description="fingerprint")
    table: str = ""
    columns: list[str] = Field(default_factory=list)
    setting: SettingChange | None = None

    @model_validator(mode="after")
    def _one_change(self) -> DraftRequest:
        if self.setting is None and not (self.statement and self.table and self.columns):
            raise ValueError("a statement, a table and its columns were expected, or a setting")
        return self


def _out(trial: Trial) -> TrialOut:
    return TrialOut(
        id=trial.id, title=trial.title, created_us=trial.created_us, state=trial.state, detail=trial.detail,
        done_share=trial.done_share, design=trial.design, result=trial.result,
        runs=[RunOut(number=r.number, block=r.block, arm=r.arm, **r.figures) for r in trial.runs],
        words=design_words(trial.design), active_sessions=arm_sessions(trial.result),
    )  # fmt: skip


@router.get("/trials")
def list_trials(reader: CurrentReader) -> TrialList:
    return trial_list(reader)


@router.get("/trials/targets")
def targets(reader: CurrentReader) -> list[TargetChoice]:
    """Where a trial can run: servers that play workloads, and a real SQLite file."""
    return target_choices(reader)


@router.post("/trials/draft")
def draft(request: DraftRequest, reader: CurrentReader, window: CurrentWindow) -> dict[str, Any]:
    """A design for trying an index or a setting, to be read and changed before it is started."""
    if request.setting is not None:
        return setting_draft(reader, window, request.server, request.setting)
    index = IndexChange(request.table, request.columns)
    return index_draft(reader, window, request.server, request.statement, index)


@router.post("/trials/words")
def words(document: dict[str, Any]) -> DesignWords:
    """A design in words; nothing is stored."""
    return design_words(document)


@router.get("/trials/samples/{sample}")
def sample_design(sample: str) -> dict[str, Any]:
    """The design that ships with a sample file, to start from."""
    return sample_document(sample)


@router.post("/trials", status_code=201)
def start(document: dict[str, Any], reader: CurrentReader, request: Request) -> TrialOut:
    """Check the design against its target, store it and start it; nothing is stored when it cannot run."""
    trial_id = file_trial(reader.store, document, reader.clock())
    request.app.state.workers.start_trial(trial_id)
    return _out(trial_with_runs(reader, trial_id))


@router.get("/trials/{trial_id}")
def one(trial_id: RowId, reader: CurrentReader) -> TrialOut:
    return _out(trial_with_runs(reader, trial_id))


@router.post("/trials/{trial_id}/stop")
def stop(trial_id: RowId, reader: CurrentReader) -> TrialOut:
    """Ask a running trial to stop; the runs that have ended are kept."""
    stop_trial(reader.store, trial_id)
    return _out(trial_with_runs(reader, trial_id))


@router.get("/trials/{trial_id}/events")
async def events(trial_id: RowId, reader: CurrentReader) -> StreamingResponse:
    """Server-sent events: the whole trial whenever it changed, until it ends."""
    await asyncio.to_thread(trial_with_runs, reader, trial_id)

    async def stream() -> AsyncIterator[str]:
        last = ""
        while True:
            trial = _out(await asyncio.to_thread(trial_with_runs, reader, trial_id))
            text = trial.model_dump_json()
            if text != last:
                last = text
                yield f"data: {text}\n\n"
            if trial.state not in GOING_ON:
                return
            await asyncio.sleep(POLL_S)

    return StreamingResponse(stream(), media_type="text/event-stream")
