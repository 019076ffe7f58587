"""One server: what it does and what it is."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy import select

from hardy_gauge.api.data import FIGURES, CurrentData, Data
from hardy_gauge.api.findings import FindingOut, findings_of
from hardy_gauge.api.fleet import GaugeFigure, capture_state, gauge_over, words_of
from hardy_gauge.api.levels import LevelOut, levels_of
from hardy_gauge.api.statements import StatementRow, statements
from hardy_gauge.api.tape import GapMark, Mark
from hardy_gauge.api.volumes import VolumeOut, volumes_of
from hardy_gauge.api.window import CurrentWindow, Window, find_server, servers_in
from hardy_gauge.core.reference.shift import Shift
from hardy_gauge.core.reference.words import clock, share
from hardy_gauge.store.models import Change, Gap, Server, Snapshot

router = APIRouter(tags=["servers"])


class NamedGauge(GaugeFigure):
    name: str
    title: str
    unit: str


class SettingOut(BaseModel):
    name: str
    value: float | int | str | bool
    default: float | int | str | bool | None
    unit: str | None
    applies: str
    description: str
    context: str = ""
    pending: bool = False
    differs_from: list[str]


class Member(BaseModel):
    server: str
    role: str
    active_sessions: float | None


class ServerSheet(BaseModel):
    server: str
    cluster: str
    role: str
    engine: str
    engine_version: str
    abilities: list[str]
    cores: int | None
    memory_bytes: int | None
    sentence: str
    capture: str
    capture_words: str
    clock_skew_s: float
    gauges: list[NamedGauge]
    heaviest: list[StatementRow]
    findings: list[FindingOut]
    settings: list[SettingOut]
    volumes: list[VolumeOut]
    levels: list[LevelOut]
    members: list[Member]
    changes: list[Mark]
    gaps: list[GapMark]


GAUGES = (
    ("active_sessions", "Active sessions", ""),
    ("response_s", "Time per call", "s"),
    ("calls_per_s", "Calls", "/s"),
    ("processor_busy", "Busy cores", ""),
    ("pages_read_per_s", "Pages read", "/s"),
    ("log_bytes_per_s", "Log written", "B/s"),
)


@router.get("/servers/{server}")
def server_sheet(server: str, data: CurrentData, window: CurrentWindow) -> ServerSheet:
    with data.store.read() as session:
        find_server(session, server)
    owner = servers_in(data, server)[0]
    peers = [s for s in servers_in(data, owner.cluster.name) if s.id != owner.id]
    focus = window.focus
    columns = (c for name, *_ in GAUGES for c in FIGURES[name])
    with data.read_ahead([s.id for s in (owner, *peers)], focus.since_us, focus.until_us, columns):
        return _sheet(data, owner, peers, window)


def _sheet(data: Data, owner: Server, peers: list[Server], window: Window) -> ServerSheet:
    now = data.clock()
    findings = findings_of(data, owner, window)
    state, state_words = capture_state(owner, now)
    return ServerSheet(
        server=owner.name, cluster=owner.cluster.name, role=owner.role, engine=owner.engine,
        engine_version=owner.engine_version, abilities=owner.abilities, cores=owner.host.get("cores"),
        memory_bytes=owner.host.get("memory_bytes"),
        sentence=_sentence(owner, data.shift(owner.id), data, findings, now), capture=state,
        capture_words=state_words, clock_skew_s=owner.capture.clock_skew_s,
        gauges=[
            NamedGauge(name=n, title=t, unit=u, **gauge_over(data, owner.id, n, window.focus).model_dump())
            for n, t, u in GAUGES
        ],
        heaviest=statements(data, window, owner.name).rows[:8], findings=findings, settings=_settings(data, owner, peers),
        volumes=volumes_of(data, owner, now), levels=levels_of(data, owner.id, window.focus),
        members=[
            Member(server=s.name, role=s.role, active_sessions=gauge_over(data, s.id, "active_sessions", window.focus).value)
            for s in [owner, *peers]
        ],
        changes=_changes(data, owner, window), gaps=_gaps(data, owner, window),
    )  # fmt: skip


def _sentence(owner: Server, shift: Shift | None, data: Data, findings: list[FindingOut], now: int) -> str:
    if shift is None:
        said = words_of(data, owner, None, now)
        return f"{owner.name} works as usual for this hour." if said == "as usual" else f"{owner.name}: {said}."
    words = words_of(data, owner, shift, now).split(",")
    text = f"{owner.name} worked as usual until {clock(shift.since_us)}; since then it is at {words[0]},{words[1]}"
    if findings:
        text += f", and {share(findings[0].share)} of its time goes to one statement"
    return text + "."


def _settings(data: Data, owner: Server, peers: list[Server]) -> list[SettingOut]:
    """Settings that are not the default, or not as on the peers."""
    with data.store.read() as session:
        found = session.scalars(
            select(Snapshot).where(
                Snapshot.kind == "settings", Snapshot.server_id.in_([owner.id, *(p.id for p in peers)])
            )
        )
        by_server: dict[int, list[dict[str, Any]]] = {row.server_id: row.body["settings"] for row in found}
    names = {peer.id: peer.name for peer in peers}
    rows = []
    for setting in by_server.get(owner.id, []):
        differs = [
            names[peer]
            for peer, settings in by_server.items()
            if peer in names
            for other in settings
            if other["name"] == setting["name"] and other["value"] != setting["value"]
        ]
        changed = setting["default"] not in (None, setting["value"]) and setting["applies"] != "never"
        if differs or changed or setting.get("pending"):
            keep = {k: v for k, v in setting.items() if k in SettingOut.model_fields}
            rows.append(SettingOut(**keep, differs_from=differs))
    return rows


def _changes(data: Data, owner: Server, window: Window) -> list[Mark]:
    with data.store.read() as session:
        rows = session.scalars(
            select(Change)
            .where(Change.server_id == owner.id, Change.at_us <= window.focus.until_us)
            .order_by(Change.at_us.desc())
            .limit(10)
        )
        return [Mark(at_us=c.at_us, server=owner.name, kind=c.kind, title=c.title) for c in rows]


def _gaps(data: Data, owner: Server, window: Window) -> list[GapMark]:
    with data.store.read() as session:
        rows = session.scalars(
            select(Gap)
            .where(Gap.server_id == owner.id, Gap.from_us < window.focus.until_us)
            .order_by(Gap.from_us.desc())
            .limit(10)
        )
        return [
            GapMark(from_us=g.from_us, to_us=g.to_us, server=owner.name, kind=g.kind, reason=g.reason) for g in rows
        ]
