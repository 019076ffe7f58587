"""Snapshots: taken now or on schedule, and what was done between any two of one server."""

from __future__ import annotations

from dataclasses import asdict, fields
from typing import Annotated

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from hardy_gauge.api.csv_answer import csv_answer
from hardy_gauge.api.current import CurrentName, CurrentReader
from hardy_gauge.api.fields import Strict
from hardy_gauge.api.problems import RowId
from hardy_gauge.capture import snapshots
from hardy_gauge.capture.settings_file import COMMAND, as_yaml
from hardy_gauge.core.narrative.setup import snapshots_sentence
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.snapshot_difference import (
    Difference,
    SnapshotOut,
    StatementDone,
    snapshot_difference,
    snapshots_of,
)

router = APIRouter(tags=["snapshots"], prefix="/snapshots")
Number = Annotated[int, Query(ge=1, le=2**63 - 1)]


class SnapshotsTaken(BaseModel):
    taken: list[SnapshotOut]
    not_taken: list[snapshots.NotTaken]


class Take(Strict):
    servers: list[str] = Field(min_length=1, max_length=1000)
    note: str = Field("", max_length=200)


class ScheduleOut(snapshots.Schedule):
    """The schedule, and the file that sets the same."""

    yaml: str
    command: str


class Snapshots(BaseModel):
    """The latest first."""

    sentence: str
    snapshots: list[SnapshotOut]


@router.get("")
def listed(reader: CurrentReader, server: str = "") -> Snapshots:
    """Snapshots of one server or of all."""
    found = snapshots_of(reader, server)
    return Snapshots(sentence=snapshots_sentence(len(found)), snapshots=found)


@router.post("", status_code=201)
def take(request: Take, reader: CurrentReader, name: CurrentName) -> SnapshotsTaken:
    """A snapshot of each server now; one that does not answer holds up no other."""
    numbers, wrong = snapshots.take_several(reader.store, request.servers, name, request.note)
    taken = [row for row in snapshots_of(reader) if row.id in numbers]
    return SnapshotsTaken(taken=taken, not_taken=wrong)


def _schedule(reader: Reader) -> ScheduleOut:
    with reader.store.read() as session:
        found = snapshots.schedule_of(session)
    return ScheduleOut(**found.as_document(), yaml=as_yaml(snapshots=found), command=COMMAND)


@router.get("/schedule")
def schedule(reader: CurrentReader) -> ScheduleOut:
    return _schedule(reader)


@router.put("/schedule")
def set_schedule(request: snapshots.Schedule, reader: CurrentReader) -> ScheduleOut:
    with reader.store.write() as session:
        snapshots.set_schedule(session, request)
    return _schedule(reader)


@router.get("/difference")
def difference(reader: CurrentReader, first: Number, second: Number) -> Difference:
    """What was done between two snapshots of one server: rates, statements by time, levels and settings that moved."""
    return snapshot_difference(reader, first, second)


@router.get("/difference/csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def difference_csv(reader: CurrentReader, first: Number, second: Number) -> Response:
    """The statements of a difference as CSV."""
    found = snapshot_difference(reader, first, second)
    names = [field.name for field in fields(StatementDone)]
    rows = [list(asdict(row).values()) for row in found.statements]
    return csv_answer(f"{found.server}-{first}-{second}.csv", names, rows)


@router.delete("/{snapshot_id}", status_code=204)
def delete(snapshot_id: RowId, reader: CurrentReader) -> None:
    with reader.store.write() as session:
        snapshots.delete_snapshot(session, snapshot_id)
