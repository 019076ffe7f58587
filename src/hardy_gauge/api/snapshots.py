"""Snapshots: taken now or on schedule, and what was done between any two of one server."""

from __future__ import annotations

import csv
import io
from concurrent.futures import ThreadPoolExecutor
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import undefer

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.problems import Problem, RowId
from hardy_gauge.api.window import find_server
from hardy_gauge.capture import snapshots
from hardy_gauge.capture.settings_file import COMMAND, as_yaml
from hardy_gauge.core.activity.between import NotComparable
from hardy_gauge.core.reference.words import duration, share
from hardy_gauge.probes.protocol import ProbeError
from hardy_gauge.store.models import CounterSnapshot, Server

router = APIRouter(tags=["snapshots"], prefix="/snapshots")
MOST_LISTED = 500
AT_ONCE = 16
Number = Annotated[int, Query(ge=1, le=2**63 - 1)]


class SnapshotOut(BaseModel):
    id: int
    server: str
    taken_us: int
    started_us: int
    why: str
    note: str


class NotTakenOut(BaseModel):
    server: str
    why: str


class TakenOut(BaseModel):
    taken: list[SnapshotOut]
    not_taken: list[NotTakenOut]


class Take(BaseModel):
    model_config = ConfigDict(extra="forbid")

    servers: list[str] = Field(min_length=1, max_length=1000)
    note: str = Field("", max_length=200)


class FigureDone(BaseModel):
    """``unit`` is that of ``done``; ``per_s`` is the same by second."""

    name: str
    title: str
    unit: str
    done: float
    per_s: float


class StatementDone(BaseModel):
    fingerprint: str
    text: str
    user: str
    service: str
    calls: float
    time_s: float
    share: float
    time_per_call_s: float
    rows_returned: float | None
    pages_read: float | None


class LevelMoved(BaseModel):
    name: str
    title: str
    unit: str
    first: float | None
    second: float | None


class SettingMoved(BaseModel):
    name: str
    first: str | None
    second: str | None


class Difference(BaseModel):
    sentence: str
    server: str
    first: SnapshotOut
    second: SnapshotOut
    from_us: int
    span_s: float
    notes: list[str]
    figures: list[FigureDone]
    statements: list[StatementDone]
    levels: list[LevelMoved]
    settings: list[SettingMoved]


def _out(row: CounterSnapshot, server: str) -> SnapshotOut:
    return SnapshotOut(
        id=row.id, server=server, taken_us=row.taken_us, started_us=row.started_us, why=row.why, note=row.note
    )


@router.get("")
def listed(data: CurrentData, server: str = "") -> list[SnapshotOut]:
    """The latest first, of one server or of all."""
    with data.store.read() as session:
        query = select(CounterSnapshot, Server.name).join(Server, Server.id == CounterSnapshot.server_id)
        if server:
            query = query.where(CounterSnapshot.server_id == find_server(session, server).id)
        rows = session.execute(query.order_by(CounterSnapshot.id.desc()).limit(MOST_LISTED)).all()
        return [_out(row, name) for row, name in rows]


@router.post("", status_code=201)
def take(request: Take, data: CurrentData, http: Request) -> TakenOut:
    """A snapshot of each server now; one that does not answer holds up no other."""
    with data.store.read() as session:
        ids = {name: find_server(session, name).id for name in dict.fromkeys(request.servers)}
    who = http.scope.get("state", {}).get("who")

    def one(name: str) -> int | str:
        try:
            return snapshots.take(data.store, ids[name], who.name if who else "", request.note)
        except ProbeError as error:
            return str(error)

    with ThreadPoolExecutor(AT_ONCE) as pool:
        results = dict(zip(ids, pool.map(one, ids), strict=True))
    with data.store.read() as session:
        taken = [_out(session.get_one(CounterSnapshot, n), name) for name, n in results.items() if isinstance(n, int)]
    wrong = [NotTakenOut(server=name, why=words) for name, words in results.items() if isinstance(words, str)]
    return TakenOut(taken=taken, not_taken=wrong)


class ScheduleOut(snapshots.Schedule):
    """The schedule, and the file that sets the same."""

    yaml: str
    command: str


@router.get("/schedule")
def schedule(data: CurrentData) -> ScheduleOut:
    with data.store.read() as session:
        found = snapshots.schedule_of(session)
    return ScheduleOut(**found.as_document(), yaml=as_yaml(snapshots=found), command=COMMAND)


@router.put("/schedule")
def set_schedule(request: snapshots.Schedule, data: CurrentData) -> ScheduleOut:
    with data.store.write() as session:
        snapshots.set_schedule(session, request)
    return schedule(data)


@router.get("/difference")
def difference(data: CurrentData, first: Number, second: Number) -> Difference:
    """What was done between two snapshots of one server: rates, statements by time, levels and settings that moved."""
    a, b, name = _both(data, first, second)
    if a.taken_us > b.taken_us:
        a, b = b, a
    try:
        done = snapshots.compare(a, b)
    except NotComparable as error:
        raise Problem(422, "Not to be compared", str(error), "second") from error
    texts = {row["key"]: row for row in snapshots.statements_of(b).iter_rows(named=True)}
    total = sum(row.get("time_s", 0.0) for row in done.statements.values())
    rows = [_statement(texts[key], values, total) for key, values in done.statements.items()]
    rows.sort(key=lambda row: -row.time_s)
    figures = [
        FigureDone(name=n, title=title_of(n), unit=unit_of(n), done=v, per_s=v / done.span_s)
        for n, v in done.values.items()
    ]
    levels = [
        LevelMoved(name=n, title=title_of(n), unit=unit_of(n), first=a.levels.get(n), second=b.levels.get(n))
        for n in sorted({*a.levels, *b.levels}) if a.levels.get(n) != b.levels.get(n)
    ]  # fmt: skip
    moved = [
        SettingMoved(name=n, first=None if x is None else str(x), second=None if y is None else str(y))
        for n, x, y in snapshots.changed_settings(a, b)
    ]
    return Difference(
        sentence=_sentence(name, done.span_s, rows, moved), server=name, first=_out(a, name), second=_out(b, name),
        from_us=done.from_us, span_s=done.span_s, notes=done.notes, figures=figures, statements=rows, levels=levels,
        settings=moved,
    )  # fmt: skip


@router.get("/difference/csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def difference_csv(data: CurrentData, first: Number, second: Number) -> Response:
    """The statements of a difference as CSV."""
    found, buffer = difference(data, first, second), io.StringIO()
    names = list(StatementDone.model_fields)
    writer = csv.DictWriter(buffer, names)
    writer.writeheader()
    writer.writerows(row.model_dump() for row in found.statements)
    headers = {"content-disposition": f'attachment; filename="{found.server}-{first}-{second}.csv"'}
    return Response(buffer.getvalue(), media_type="text/csv; charset=utf-8", headers=headers)


@router.delete("/{snapshot_id}", status_code=204)
def take_out(snapshot_id: RowId, data: CurrentData) -> None:
    with data.store.write() as session:
        row = session.get(CounterSnapshot, snapshot_id)
        if row is None:
            raise Problem(404, "Unknown snapshot", f"there is no snapshot {snapshot_id}", "id")
        session.delete(row)


def _both(data: Data, first: int, second: int) -> tuple[CounterSnapshot, CounterSnapshot, str]:
    with data.store.read() as session:
        rows = []
        for field, number in (("first", first), ("second", second)):
            row = session.get(CounterSnapshot, number, options=[undefer(CounterSnapshot.statements)])
            if row is None:
                raise Problem(404, "Unknown snapshot", f"{field}: there is no snapshot {number}", field)
            rows.append(row)
        if rows[0].server_id != rows[1].server_id:
            raise Problem(422, "Not to be compared", "second: it is of another server", "second")
        return rows[0], rows[1], session.get_one(Server, rows[0].server_id).name


def _statement(row: dict[str, Any], done: dict[str, float], total: float) -> StatementDone:
    time_s, calls = done.get("time_s", 0.0), done.get("calls", 0.0)
    return StatementDone(
        fingerprint=row["fingerprint"], text=row["text"], user=row["user"], service=row["service"], calls=calls,
        time_s=time_s, share=time_s / total if total else 0.0, time_per_call_s=time_s / calls if calls else 0.0,
        rows_returned=done.get("rows_returned"), pages_read=done.get("pages_read"),
    )  # fmt: skip


def _sentence(server: str, span_s: float, rows: list[StatementDone], settings: list[SettingMoved]) -> str:
    words = f"{server} over {duration(span_s)}"
    if rows and rows[0].time_s:
        text = " ".join(rows[0].text.split())
        words += f": {share(rows[0].share)} of its statements' time went to {text[:70]}{'…' if len(text) > 70 else ''}"
    if settings:
        words += f"; {len(settings)} setting{'s' if len(settings) > 1 else ''} changed"
    return words


def title_of(name: str) -> str:
    """A neutral figure's name in words, without its unit."""
    base, _, of = name.partition(".")
    bare = base.removesuffix("_bytes").removesuffix("_s")
    words = bare.replace("_", " ")
    return f"{words} {of}".strip()


def unit_of(name: str) -> str:
    base = name.partition(".")[0]
    return (
        "B" if base.endswith("_bytes") else "s" if base.endswith("_s") else "share" if base.endswith("_share") else ""
    )
