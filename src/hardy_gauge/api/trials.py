"""Trials: design, start, watch, stop, and what came out."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from typing import Annotated, Any

from fastapi import APIRouter, Path, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field, model_validator

from hardy_gauge.api.current import CurrentAccountUser, CurrentReader, CurrentWindow
from hardy_gauge.api.problems import RowId
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.narrative.expectations import MetOut, met_out
from hardy_gauge.core.narrative.kind_table import KindTable, kind_table
from hardy_gauge.core.remedies.remedy import IndexChange, SettingChange
from hardy_gauge.core.trials.curve import KindCurve, kind_curve
from hardy_gauge.core.trials.detail_sheet import TrialDetail, arm_places, trial_detail
from hardy_gauge.core.trials.draft import Change
from hardy_gauge.core.trials.live_run import LiveSheet, live_sheet
from hardy_gauge.core.trials.meeting import Meeting, meeting
from hardy_gauge.load.choices import TargetChoice, sample_document, target_choices
from hardy_gauge.load.design import read_design
from hardy_gauge.load.drafts import draft_of
from hardy_gauge.load.filing import file_trial, stop_trial
from hardy_gauge.load.postgres.recorded import RecordedTrial, recorded_trial
from hardy_gauge.load.setting_choices import SettingChoice, choices_of_programs
from hardy_gauge.load.words import DesignWords, TrialPlan, arm_sessions, design_words, plan_of, settings_told
from hardy_gauge.queries.expectations import Expectations, expectations_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.trial_pairs import TrialsAgainst, trials_against
from hardy_gauge.queries.trials import (
    GOING_ON,
    LineStep,
    PlansOfArms,
    TrialList,
    WayBackOut,
    again,
    line_of,
    plans_of_arms,
    trial_list,
    trial_with_runs,
    ways_back_of,
)
from hardy_gauge.store.run_executions import kept_runs

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
    settings_told: list[str] = Field(description="settings in force as the server told them, in words")
    table: KindTable | None = Field(description="what came out of a kind that is no comparison")
    curve: KindCurve | None = Field(description="of a sweep or a scaling trial, of the runs so far")
    meeting: Meeting | None = Field(description="how the changes of a factorial trial meet, of the runs so far")
    executions_kept: bool = Field(description="every execution can be had as a file")
    live: LiveSheet | None = Field(description="the run that goes on, second by second; None between two runs")
    in_detail: TrialDetail | None = Field(
        description="each statement in each arm, durations, and the runs by second; None of older trials"
    )
    expected: MetOut | None = Field(description="what was expected of the candidate, beside what was measured")
    way_back: list[WayBackOut] = Field(
        description="of a lab server that it changes: what sets it back, and whether that is done"
    )
    line: list[LineStep] = Field(description="the trials that it came of, and that came of it")


class DraftRequest(BaseModel):
    """A trial under the load of a server recorded in the window: of an index for one statement, or of a setting."""

    server: str
    statement: str = Field("", description="fingerprint")
    table: str = ""
    columns: list[str] = Field(default_factory=list)
    setting: SettingChange | None = None
    expected: list[Fact] = Field(default_factory=list, description="what the remedy expects of it")

    @model_validator(mode="after")
    def _one_change(self) -> DraftRequest:
        if self.setting is None and not (self.statement and self.table and self.columns):
            raise ValueError("a statement, a table and its columns were expected, or a setting")
        return self


def _out(reader: Reader, trial_id: int) -> TrialOut:
    trial = trial_with_runs(reader, trial_id)
    return TrialOut(
        id=trial.id, title=trial.title, created_us=trial.created_us, state=trial.state, detail=trial.detail,
        done_share=trial.done_share, design=trial.design, result=trial.result,
        runs=[RunOut(number=r.number, block=r.block, arm=r.arm, **r.figures) for r in trial.runs],
        words=design_words(trial.design), active_sessions=arm_sessions(trial.result), settings_told=settings_told(trial.result),
        table=kind_table(trial.design, trial.result), line=line_of(reader, trial_id),
        curve=kind_curve(trial.design, trial.result, [(r.arm, r.figures["goal"]) for r in trial.runs]),
        meeting=meeting(trial.design, trial.result, [(r.arm, r.figures["goal"]) for r in trial.runs]),
        live=trial.live and live_sheet(trial.live, len(trial.runs) + 1, arm_places(trial.design)),
        executions_kept=bool(kept_runs(reader.store, trial_id)),
        in_detail=trial_detail(trial.design, [(r.arm, r.block, r.figures.get("detail")) for r in trial.runs]),
        expected=met_out(trial.design, trial.result), way_back=ways_back_of(reader, trial_id),
    )  # fmt: skip


@router.get("/trials")
def list_trials(reader: CurrentReader) -> TrialList:
    return trial_list(reader)


@router.get("/trials/expectations")
def expectations(reader: CurrentReader) -> Expectations:
    """How good what advice expected was: every trial of a piece of advice, with what it measured."""
    return expectations_of(reader)


@router.get("/trials/targets")
def targets(reader: CurrentReader) -> list[TargetChoice]:
    """Where a trial can run: servers that play workloads, and a real SQLite file."""
    return target_choices(reader)


@router.get("/trials/targets/postgresql/settings")
def settings_of_made() -> list[SettingChoice]:
    """Settings that an arm can change on a PostgreSQL that is made for the trial, asked of the programs that are found on this machine."""
    return list(choices_of_programs())


@router.post("/trials/draft")
def draft(
    request: DraftRequest, reader: CurrentReader, window: CurrentWindow, user: CurrentAccountUser
) -> RecordedTrial:  # fmt: skip
    """A design for trying an index or a setting, to be read and changed before it is started."""
    index = None if request.setting is not None else IndexChange(request.table, request.columns)
    change = Change(index, request.setting, request.expected, request.statement)
    return draft_of(reader, window, request.server, change, user)


@router.post("/trials/on/{server}")
def on_server(server: str, reader: CurrentReader, window: CurrentWindow, user: CurrentAccountUser) -> RecordedTrial:
    """A design for a PostgreSQL of the fleet that is changed for the trial: the statements recorded in the focus, with values from the
    server's statistics, which it is asked for.
    """
    return recorded_trial(reader, window, server, user)


@router.post("/trials/words")
def words(document: dict[str, Any]) -> DesignWords:
    """A design in words; nothing is stored."""
    return design_words(document)


@router.post("/trials/plan")
def plan(document: dict[str, Any]) -> TrialPlan:
    """What a design would do and for how long; nothing is stored or run."""
    return plan_of(read_design(document))


@router.get("/trials/samples/{sample}")
def sample_design(sample: str) -> dict[str, Any]:
    """The design that ships with a sample file, to start from."""
    return sample_document(sample)


@router.post("/trials", status_code=201)
def start(
    document: dict[str, Any], reader: CurrentReader, user: CurrentAccountUser, request: Request
) -> TrialOut:  # fmt: skip
    """Check the design against its target, store it and start it; nothing is stored when it cannot run."""
    trial_id = file_trial(reader.store, document, reader.clock(), user)
    request.app.state.workers.start_trial(trial_id)
    return _out(reader, trial_id)


@router.get("/trials/{trial_id}")
def one(trial_id: RowId, reader: CurrentReader) -> TrialOut:
    return _out(reader, trial_id)


@router.get("/trials/{trial_id}/again")
def design_again(trial_id: RowId, reader: CurrentReader) -> dict[str, Any]:
    """The design of a trial, to be changed and filed as the next of its line."""
    return again(reader, trial_id)


@router.get("/trials/{trial_id}/against/{other}")
def against(trial_id: RowId, other: RowId, reader: CurrentReader) -> TrialsAgainst:
    """Another trial beside this one: arm by arm with intervals, and what else differs."""
    return trials_against(reader, trial_id, other)


@router.get("/trials/{trial_id}/plans/{statement}")
def plans(
    trial_id: RowId, statement: Annotated[int, Path(ge=0)], first: str, second: str, reader: CurrentReader
) -> PlansOfArms:  # fmt: skip
    """The plans that two arms have for a statement of the workload, by its number, beside each other."""
    return plans_of_arms(reader, trial_id, statement, first, second)


@router.post("/trials/{trial_id}/stop")
def stop(trial_id: RowId, reader: CurrentReader) -> TrialOut:
    """Ask a running trial to stop; the runs that have ended are kept."""
    stop_trial(reader.store, trial_id)
    return _out(reader, trial_id)


@router.get("/trials/{trial_id}/events")
async def events(trial_id: RowId, reader: CurrentReader) -> StreamingResponse:
    """Server-sent events: the whole trial whenever it changed, until it ends."""
    await asyncio.to_thread(trial_with_runs, reader, trial_id)

    async def stream() -> AsyncIterator[str]:
        last = ""
        while True:
            trial = await asyncio.to_thread(_out, reader, trial_id)
            text = trial.model_dump_json()
            if text != last:
                last = text
                yield f"data: {text}\n\n"
            if trial.state not in GOING_ON:
                return
            await asyncio.sleep(POLL_S)

    return StreamingResponse(stream(), media_type="text/event-stream")
