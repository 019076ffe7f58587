"""Files brought in: handed in, looked at, taken, undone; and OTLP as senders send it."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import undefer
from starlette.concurrency import run_in_threadpool

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.problems import Problem, RowId
from hardy_gauge.api.trials import lab_server
from hardy_gauge.capture.imports import desk, reading
from hardy_gauge.capture.imports.columns import TARGETS, UNITS, Kind, Layout
from hardy_gauge.capture.imports.leftovers import Leftovers, NotTaken, of_document
from hardy_gauge.store.models import Import, StoredWorkload

router = APIRouter(tags=["imports"])
MOST_UPLOAD = 8 * 2**30
MOST_MESSAGE = 64 * 2**20
SHOWN_LEFT = 200


class LeftLine(BaseModel):
    line: int
    why: str


class ImportOut(BaseModel):
    """An import. ``left`` are the first lines that were not taken, ``reasons`` how many of each reason."""

    id: int
    name: str
    who: str
    created_us: int
    format: str
    state: str
    detail: str
    servers: list[str]
    taken: int
    left_count: int
    since_us: int | None
    until_us: int | None
    reasons: dict[str, int] = {}
    left: list[LeftLine] = []


class TargetOut(BaseModel):
    name: str
    words: str
    needed: bool
    units: list[str]


class LookOut(BaseModel):
    """What a file seems to hold; ``fault`` names the first field of the layout that does not fit it."""

    id: int
    name: str
    format: str
    remembered: bool
    layout: Layout | None
    targets: dict[str, list[TargetOut]]
    headings: list[str]
    sample: list[dict[str, str]]
    rows_looked_at: int
    rows_taken: int
    left: list[LeftLine]
    fault_field: str
    fault: str


class WorkloadOut(BaseModel):
    id: int
    name: str
    statements: list[dict[str, Any]]


def _folder(data: Data) -> Path:
    return data.settings.data / "incoming"


def _path(data: Data, import_id: int) -> Path:
    return _folder(data) / str(import_id)


def _row(data: Data, import_id: int) -> Import:
    with data.store.read() as session:
        row = session.get(Import, import_id, options=[undefer(Import.left)])
        if row is None:
            raise Problem(404, "Unknown import", f"there is no import {import_id}", "id")
        return row


def _out(row: Import, left: bool = True) -> ImportOut:
    return ImportOut(
        id=row.id, name=row.name, who=row.who, created_us=row.created_us, format=row.kind, state=row.state,
        detail=row.detail, servers=row.servers, taken=row.taken, left_count=row.left_count, since_us=row.since_us,
        until_us=row.until_us, reasons=row.left.get("reasons", {}) if left else {},
        left=[LeftLine(line=n, why=w) for n, w in list(of_document(row.left))[:SHOWN_LEFT]] if left else [],
    )  # fmt: skip


def _who(request: Request) -> str:
    who = request.scope.get("state", {}).get("who")
    return who.name if who else ""


@router.get("/imports")
def imports(data: CurrentData) -> list[ImportOut]:
    """The latest first; files that were handed in and not taken are not among them."""
    with data.store.read() as session:
        query = select(Import).where(Import.state.not_in(("open", "discarded"))).order_by(Import.id.desc()).limit(200)
        return [_out(row, left=False) for row in session.scalars(query)]


@router.post("/imports", status_code=201, openapi_extra={"requestBody": {"content": {"application/octet-stream": {}}}})
async def hand_in(
    request: Request, data: CurrentData, name: Annotated[str, Query(min_length=1, max_length=200)]
) -> LookOut:
    """Hand in a file as the body; nothing is stored of it until it is taken."""
    folder = _folder(data)
    folder.mkdir(parents=True, exist_ok=True)
    path, size = folder / f"coming-{id(request):x}", 0
    try:
        with path.open("wb") as file:
            async for block in request.stream():
                size += len(block)
                if size > MOST_UPLOAD:
                    raise Problem(413, "Too large", f"at most {MOST_UPLOAD:,} bytes; use hardy-gauge import", "file")
                await run_in_threadpool(file.write, block)
        return await run_in_threadpool(_handed_in, data, name, path, _who(request))
    finally:
        path.unlink(missing_ok=True)


def _handed_in(data: Data, name: str, path: Path, who: str) -> LookOut:
    """A file of which nothing can be made is not kept."""
    with data.store.read() as session:
        known = desk.known_layouts(session)
    try:
        found = reading.look(path, name, known)
    except NotTaken as error:
        raise Problem(422, "The file cannot be taken", str(error), error.field) from error
    import_id = desk.hand_in(data.store, name, path, who, data.clock())
    path.rename(_path(data, import_id))
    return _look_out(import_id, name, found, found.layout is not None and found.layout in known.values())


def _look_out(import_id: int, name: str, found: reading.Look, remembered: bool) -> LookOut:
    fault = found.fault or ("", "")
    targets: dict[str, list[TargetOut]] = {
        kind: [
            TargetOut(name=t.name, words=t.words, needed=t.needed and not t.instead, units=list(UNITS[t.what]))
            for t in rows
        ]
        for kind, rows in TARGETS.items()
    }
    left = [LeftLine(line=line, why=why) for line, why in found.left.listed[:SHOWN_LEFT]]
    return LookOut(
        id=import_id, name=name, format=found.format, remembered=remembered, layout=found.layout, targets=targets,
        headings=found.headings, sample=found.sample, rows_looked_at=found.rows_looked_at, rows_taken=found.rows_taken,
        left=left, fault_field=fault[0], fault=fault[1],
    )  # fmt: skip


def _open(data: Data, import_id: int) -> tuple[Import, Path]:
    row, path = _row(data, import_id), _path(data, import_id)
    if row.state not in ("open", "failed", "stopped") or not path.exists():
        raise Problem(409, "Not open", f"the import is {row.state}; hand the file in again", "id")
    return row, path


class LookRequest(BaseModel):
    """``kind`` alone asks for a new guess."""

    layout: Layout | None = None
    kind: Kind | None = None


@router.post("/imports/{import_id}/look")
def look(import_id: RowId, request: LookRequest, data: CurrentData) -> LookOut:
    """How the first rows would be read with another layout; nothing is stored."""
    row, path = _open(data, import_id)
    try:
        found = reading.look(path, row.name, {}, request.layout)
        if request.layout is None and request.kind is not None and found.format == "table":
            found = reading.look(path, row.name, {}, reading.guessed(path, row.name, request.kind))
    except NotTaken as error:
        raise Problem(422, "The file cannot be taken", str(error), error.field) from error
    return _look_out(import_id, row.name, found, False)


@router.post("/imports/{import_id}/take", status_code=202)
def take(import_id: RowId, wanted: reading.Wanted, data: CurrentData, request: Request) -> ImportOut:
    """Take the file in. It goes on by itself; ask for the import to see how far it is."""
    row, path = _open(data, import_id)
    try:
        reading.check(path, row.name, wanted)
    except NotTaken as error:
        raise Problem(422, "The file cannot be taken", str(error), error.field) from error
    if wanted.layout is not None and wanted.format == "table":
        with data.store.write() as session:
            desk.remember(session, reading.headings(path, row.name), wanted.layout)
    request.app.state.importing.start(import_id, path, wanted)
    return _out(_row(data, import_id))


@router.get("/imports/{import_id}")
def one(import_id: RowId, data: CurrentData) -> ImportOut:
    return _out(_row(data, import_id))


@router.get("/imports/{import_id}/left", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def left(import_id: RowId, data: CurrentData) -> Response:
    """Every line that was not taken and why, as CSV."""
    row, buffer = _row(data, import_id), io.StringIO()
    writer = csv.writer(buffer)
    writer.writerow(["line", "why"])
    writer.writerows(of_document(row.left))
    headers = {"content-disposition": f'attachment; filename="import-{import_id}-left.csv"'}
    return Response(buffer.getvalue(), media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/imports/{import_id}/stop")
def stop(import_id: RowId, data: CurrentData, request: Request) -> ImportOut:
    row = _row(data, import_id)
    if row.state != "running" or not request.app.state.importing.stop_one(import_id):
        raise Problem(409, "Not running", f"the import is {row.state}; there is nothing to stop", "id")
    return _out(row)


@router.delete("/imports/{import_id}", status_code=204)
def undo(import_id: RowId, data: CurrentData) -> None:
    """Take everything of an import out again; a file that is only handed in is put away."""
    row = _row(data, import_id)
    if row.state == "running":
        raise Problem(409, "Still running", "stop the import first", "id")
    if row.state == "done":
        desk.undo(data.store, import_id)
    elif row.state != "undone":
        with data.store.write() as session:
            session.get_one(Import, import_id).state = "discarded"
    _path(data, import_id).unlink(missing_ok=True)


@router.get("/workloads")
def workloads(data: CurrentData) -> list[WorkloadOut]:
    """Workloads that were brought in, to play in trials."""
    with data.store.read() as session:
        rows = session.scalars(select(StoredWorkload).order_by(StoredWorkload.id.desc()))
        return [WorkloadOut(id=row.id, name=row.name, statements=row.statements) for row in rows]


@router.get("/workloads/{workload_id}/design")
def workload_design(workload_id: RowId, data: CurrentData) -> dict[str, Any]:
    """A trial's design that plays a workload on a lab server, to be changed before it is started."""
    with data.store.read() as session:
        row = session.get(StoredWorkload, workload_id)
    if row is None:
        raise Problem(404, "Unknown workload", f"there is no workload {workload_id}", "id")
    return {
        "title": f"{row.name} with one change", "question": "",
        "goal": {"metric": "p95", "at_most": "50 ms"},
        "guardrails": [{"metric": "throughput", "worsen_at_most": "2%"}],
        "target": {"server": lab_server(data).name},
        "workload": {
            "arrival": {"kind": "closed", "workers": 8, "think": "100 ms"}, "statements": row.statements,
        },
        "arms": [{"name": "control"}, {"name": "candidate"}],
        "run": {"seconds": "30 s", "blocks": 5, "seed": 1},
    }  # fmt: skip


@router.post("/otlp/v1/{signal}", openapi_extra={"requestBody": {"content": {"application/json": {}}}})
async def otlp(signal: str, request: Request, data: CurrentData) -> dict[str, Any]:
    """OTLP over HTTP as JSON: spans at ``traces``, figures at ``metrics``. The answer says how many were not taken."""
    if signal not in ("traces", "metrics"):
        raise Problem(404, "Not taken", "traces and metrics are taken here", "signal")
    if request.headers.get("content-type", "").partition(";")[0].strip().lower() != "application/json":
        raise Problem(415, "Not taken", "OTLP is taken as application/json", "content-type")
    body = b""
    async for block in request.stream():
        body += block
        if len(body) > MOST_MESSAGE:
            raise Problem(413, "Too large", f"at most {MOST_MESSAGE:,} bytes a message", "body")
    try:
        document = json.loads(body)
    except (ValueError, RecursionError) as error:
        raise Problem(400, "Not JSON", "the body: a JSON object of OTLP was expected", "body") from error
    rest = await run_in_threadpool(_receive, request, data, document)
    if not rest.count:
        return {}
    kind = "rejectedSpans" if signal == "traces" else "rejectedDataPoints"
    words = "; ".join(f"{count} × {why}" for why, count in rest.reasons.most_common(5))
    return {"partialSuccess": {kind: str(rest.count), "errorMessage": words}}


def _receive(request: Request, data: Data, document: Any) -> Leftovers:
    state = request.app.state
    with state.otlp_lock:
        return desk.receive(data.store, document, _who(request), data.clock(), state.otlp_counted)
