"""Changes of the fleet: what was seen, and what people and deployments note."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import AwareDatetime, BaseModel, Field

from hardy_gauge.api.current import CurrentName, CurrentReader, CurrentWindow
from hardy_gauge.api.fields import Strict
from hardy_gauge.api.problems import RowId
from hardy_gauge.core.changes.sheet import ChangeKind, Changes
from hardy_gauge.core.time.span import SECOND_US
from hardy_gauge.queries.changes import changes_in
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.change_notes import note_change, take_back_note

router = APIRouter(tags=["changes"], prefix="/changes")


@router.get("")
def changes(
    reader: CurrentReader,
    window: CurrentWindow,
    scope: str = "fleet",
    kind: Annotated[list[ChangeKind] | None, Query(description="only changes of these kinds")] = None,
    search: Annotated[str, Query(max_length=200)] = "",
) -> Changes:
    """Everything that changed in the focus, the newest first, and what followed each."""
    return changes_in(reader, scope, window.focus, kind or [], search)


class NewNote(Strict):
    """``scope`` is a server, a cluster or "fleet"; ``at`` is now where it is not given."""

    scope: Annotated[str, Field(min_length=1, max_length=200)]
    title: Annotated[str, Field(min_length=1, max_length=200)]
    kind: Literal["deployment", "note", "hardware"] = "deployment"
    object: Annotated[str, Field(max_length=200)] = ""
    at: AwareDatetime | None = None


class Noted(BaseModel):
    """Numbers of the rows, one for each server."""

    ids: list[int]


@router.post("", status_code=201)
def note(given: NewNote, reader: CurrentReader, name: CurrentName) -> Noted:
    """Note a deployment, other hardware, or anything that the product does not see itself."""
    now_us = reader.clock()
    at_us = now_us if given.at is None else round(given.at.timestamp() * SECOND_US)
    servers = servers_in(reader, given.scope)
    with reader.store.write() as session:
        return Noted(ids=note_change(session, servers, given.kind, given.title, given.object, at_us, name, now_us))


@router.delete("/{change_id}", status_code=204)
def take_back(change_id: RowId, reader: CurrentReader) -> None:
    """Delete a note; what was seen on a server stays."""
    with reader.store.write() as session:
        take_back_note(session, change_id)
