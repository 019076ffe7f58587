"""Files imported: handed in, looked at, started, stopped, undone."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request, Response
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from hardy_gauge.api.csv_answer import csv_answer
from hardy_gauge.api.current import CurrentName, CurrentReader, state_of
from hardy_gauge.api.problems import RowId
from hardy_gauge.api.uploads import uploaded
from hardy_gauge.capture.imports.columns import Kind, Layout
from hardy_gauge.capture.imports.incoming import ImportOut, IncomingFiles, LookOut
from hardy_gauge.capture.imports.reading import ImportRequest
from hardy_gauge.core.narrative.setup import imports_sentence

router = APIRouter(tags=["imports"], prefix="/imports")


class LookRequest(BaseModel):
    """``kind`` alone asks for a new guess."""

    layout: Layout | None = None
    kind: Kind | None = None


Incoming = Annotated[IncomingFiles, Depends(state_of("incoming", IncomingFiles))]


class Imports(BaseModel):
    """The latest first."""

    sentence: str
    imports: list[ImportOut]


@router.get("")
def imports(incoming: Incoming) -> Imports:
    """All imports; files that were uploaded and never started are not among them."""
    found = incoming.listed()
    return Imports(sentence=imports_sentence([one.state for one in found]), imports=found)


@router.post("", status_code=201, openapi_extra={"requestBody": {"content": {"application/octet-stream": {}}}})
async def hand_in(
    request: Request, incoming: Incoming, reader: CurrentReader, who: CurrentName,
    name: Annotated[str, Query(min_length=1, max_length=200)],
) -> LookOut:  # fmt: skip
    """Hand in a file as the body; nothing of it is stored until its import is started."""
    async with uploaded(request, incoming.folder) as path:
        return await run_in_threadpool(incoming.hand_in, name, path, who, reader.clock())


@router.post("/{import_id}/look")
def look(import_id: RowId, request: LookRequest, incoming: Incoming) -> LookOut:
    """How the first rows would be read with another layout; nothing is stored."""
    return incoming.look(import_id, request.layout, request.kind)


@router.post("/{import_id}/start", status_code=202)
def start(import_id: RowId, request: ImportRequest, incoming: Incoming) -> ImportOut:
    """Start the import. It goes on by itself; ask for it to see how far it is."""
    return incoming.start(import_id, request)


@router.get("/{import_id}")
def one(import_id: RowId, incoming: Incoming) -> ImportOut:
    return incoming.one(import_id)


@router.get("/{import_id}/rejected", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def rejected(import_id: RowId, incoming: Incoming) -> Response:
    """Every line that was refused and why, as CSV."""
    return csv_answer(f"import-{import_id}-rejected.csv", ["line", "why"], incoming.rejected_rows(import_id))


@router.post("/{import_id}/stop")
def stop(import_id: RowId, incoming: Incoming) -> ImportOut:
    return incoming.stop(import_id)


@router.delete("/{import_id}", status_code=204)
def undo(import_id: RowId, incoming: Incoming) -> None:
    """Delete everything that an import stored; a file that was only handed in is discarded."""
    incoming.undo(import_id)
