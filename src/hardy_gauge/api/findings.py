"""Findings of the fleet, and what people say of them."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field

from hardy_gauge.api.current import CurrentName, CurrentReader, CurrentWindow, name_of, state_of
from hardy_gauge.api.fields import Strict
from hardy_gauge.api.problems import RowId
from hardy_gauge.core.diagnosis.life import weight
from hardy_gauge.diagnose.past import PastDiagnoser, PastDiagnosis
from hardy_gauge.queries.findings import FINDING, Findings, findings_in
from hardy_gauge.queries.improvement import Improvement, improvement_of
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.finding_notes import set_aside, stored_finding, take_note, take_up

router = APIRouter(tags=["findings"], prefix="/findings")
CurrentPast = Annotated[PastDiagnoser, Depends(state_of("past", PastDiagnoser))]


class Reason(Strict):
    reason: Annotated[str, Field(min_length=1, max_length=500)]


@router.get("")
def findings(reader: CurrentReader, window: CurrentWindow, scope: str = "fleet") -> Findings:
    """Findings whose life meets the focus, and what could not be looked at."""
    return findings_in(reader, servers_in(reader, scope), window.focus)


class Past(BaseModel):
    """The span of the past that is diagnosed, or was diagnosed last; None where none was."""

    latest: PastDiagnosis | None


@router.get("/past")
def past(diagnoser: CurrentPast) -> Past:
    """How far the diagnosis of a span of the past has come."""
    return Past(latest=diagnoser.latest)


@router.post("/past", status_code=202)
def diagnose_past(
    reader: CurrentReader, window: CurrentWindow, diagnoser: CurrentPast, name: CurrentName, scope: str = "fleet"
) -> Past:
    """Diagnose the focus, which is past: each hour of it, on every server of the scope."""
    return Past(latest=diagnoser.start(servers_in(reader, scope), window.focus, name))


@router.delete("/past", status_code=204)
def stop_past(diagnoser: CurrentPast) -> None:
    """Stop it; what was found on servers that are done is kept."""
    diagnoser.stop()


@router.get("/{finding_id}/improvement")
def improvement(finding_id: RowId, reader: CurrentReader) -> Improvement:
    """Is it better now? What it showed in, before and after what was changed on its server."""
    return improvement_of(reader, finding_id)


@router.post("/{finding_id}/note", status_code=204)
def note(finding_id: RowId, reader: CurrentReader, request: Request) -> None:
    """Take note: somebody sees to it."""
    with reader.store.write() as session:
        take_note(session, finding_id, name_of(request), reader.clock())


@router.post("/{finding_id}/aside", status_code=204)
def aside(finding_id: RowId, given: Reason, reader: CurrentReader, request: Request) -> None:
    """Set it aside with a reason; it is silent until it grows by half."""
    with reader.store.write() as session:
        weighs = weight(FINDING.validate_python(stored_finding(session, finding_id).body))
        set_aside(session, finding_id, name_of(request), reader.clock(), given.reason, weighs)


@router.delete("/{finding_id}/aside", status_code=204)
def up(finding_id: RowId, reader: CurrentReader) -> None:
    """Take it up again: neither noted nor set aside."""
    with reader.store.write() as session:
        take_up(session, finding_id)
