"""The servers of the fleet as they are reached: test, discover, take in, edit, retire."""

from __future__ import annotations

import time
from typing import Annotated

from fastapi import APIRouter, Body, Request
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import joinedload

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.fleet import capture_state
from hardy_gauge.api.problems import Problem
from hardy_gauge.api.window import find_server
from hardy_gauge.capture.access import account_of, opened, probe_of
from hardy_gauge.capture.editing import Address, Edit, Name, account_called, as_document, change
from hardy_gauge.capture.enrol import Joining, enrol
from hardy_gauge.capture.lists import read_list
from hardy_gauge.capture.rules import rule_for
from hardy_gauge.capture.settings_file import COMMAND, as_yaml, named
from hardy_gauge.capture.wanted import rules_of
from hardy_gauge.probes.protocol import Member, Probe, ProbeError, Report, Unsupported
from hardy_gauge.probes.sqlpack.pack import FigureQuery
from hardy_gauge.store.models import Server

router = APIRouter(tags=["connections"], prefix="/connections")


class Strict(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Connection(BaseModel):
    """How one server is reached, what is wanted of it, and what is done."""

    server: str
    cluster: str
    role: str
    engine: str
    engine_version: str
    address: str
    labels: list[str]
    account: str
    account_by: str
    figures: list[FigureQuery]
    scrapes: list[str]
    retired: bool
    wanted: str
    wanted_mode: str
    doing: str
    capture: str
    capture_words: str
    why: str
    yaml: str
    command: str


class Connections(BaseModel):
    sentence: str
    connections: list[Connection]
    labels: list[str]


class TestRequest(Strict):
    address: Address
    account: str = ""


class Tested(BaseModel):
    """What came of trying an address. ``members`` are the other servers of its cluster, as it sees them."""

    answers: bool
    words: str
    took_s: float
    server: str = ""
    cluster: str = ""
    role: str = ""
    engine: str = ""
    engine_version: str = ""
    clock_skew_s: float = 0.0
    reports: list[Report]
    members: list[Member]
    known_as: str = ""


class NewServer(Strict):
    address: Address
    name: Name = ""
    cluster: Name = ""
    labels: list[str] = Field(default_factory=list, max_length=50)
    account: str = ""


class NewServers(Strict):
    servers: list[NewServer] = Field(min_length=1, max_length=1000)


class Taken(BaseModel):
    address: str
    server: str
    error: str


class ReadLine(BaseModel):
    line: int
    reason: str


class ReadServers(BaseModel):
    servers: list[NewServer]
    not_taken: list[ReadLine]


@router.get("")
def connections(data: CurrentData) -> Connections:
    with data.store.read() as session:
        rules, now = rules_of(session), data.clock()
        query = select(Server).options(joinedload(Server.cluster), joinedload(Server.capture)).order_by(Server.name)
        rows = []
        for server in session.scalars(query):
            rule = rule_for(rules, server.name, server.cluster.name, server.labels, now)
            state, words = capture_state(server, now)
            account = account_of(session, server)
            rows.append(
                Connection(
                    server=server.name, cluster=server.cluster.name, role=server.role, engine=server.engine,
                    engine_version=server.engine_version, address=server.address, labels=server.labels,
                    account=account.name if account else "", retired=server.retired_us is not None,
                    account_by="" if account is None else "itself" if server.account_id else "its group",
                    figures=[FigureQuery.model_validate(f) for f in server.figures], wanted=rule.name,
                    scrapes=server.scrapes, wanted_mode=rule.mode, doing=server.capture.doing, capture=state, capture_words=words,
                    why=server.capture.why, yaml=as_yaml(servers=[as_document(server, named(session, server))]), command=COMMAND,
                )
            )  # fmt: skip
    return Connections(
        sentence=_sentence(rows), connections=rows, labels=sorted({label for row in rows for label in row.labels})
    )


def _sentence(rows: list[Connection]) -> str:
    here = [row for row in rows if not row.retired]
    if not here:
        return "No server is connected yet. Give the address of one; the rest of its cluster is found from there."
    well = sum(row.capture == "recording" for row in here)
    failing = [row.server for row in here if row.capture == "failing"]
    text = f"{well} of {len(here)} servers are being recorded"
    return f"{text}; {failing[0]} does not answer." if failing else f"{text}."


class Labels(Strict):
    """Labels that servers are given and lose."""

    servers: list[str] = Field(min_length=1, max_length=1000)
    add: list[Annotated[str, Field(min_length=1, max_length=80)]] = Field(default_factory=list, max_length=50)
    remove: list[str] = Field(default_factory=list, max_length=50)


@router.post("/labels", status_code=204)
def label(request: Labels, data: CurrentData, http: Request) -> None:
    """Change the labels of many servers, all of them or none."""
    with data.store.write() as session:
        for name in request.servers:
            owner = find_server(session, name)
            owner.labels = sorted({*owner.labels, *(one.strip() for one in request.add)} - {*request.remove, ""})
    http.app.state.poke()


class Retiring(Strict):
    servers: list[str] = Field(min_length=1, max_length=1000)
    retired: bool


@router.post("/retire", status_code=204)
def retire(request: Retiring, data: CurrentData, http: Request) -> None:
    """Retire many servers, or bring them back, all of them or none."""
    with data.store.write() as session:
        for name in request.servers:
            find_server(session, name).retired_us = data.clock() if request.retired else None
    http.app.state.poke()


@router.post("/test")
def test(request: TestRequest, data: CurrentData) -> Tested:
    """Try an address with an account: who answers, what it reports, what must be switched on, who else is there."""
    with data.store.read() as session:
        account = account_called(session, request.account)
        known = session.scalar(select(Server.name).where(Server.address == request.address))
    began = time.monotonic()
    try:
        probe = opened(data.store, request.address, account)
        try:
            identity = probe.identity()
            reports = probe.readiness().reports
            members = _members(probe)
        finally:
            probe.close()
    except ProbeError as error:
        return Tested(
            answers=False,
            words=str(error),
            took_s=time.monotonic() - began,
            known_as=known or "",
            reports=[],
            members=[],
        )
    took = time.monotonic() - began
    lacking = sum(not report.reported for report in reports)
    words = f"{identity.server} answers: {identity.engine} {identity.engine_version}, {identity.role}"
    words += f"; {lacking} of {len(reports)} things are not reported" if lacking else "; everything is reported"
    return Tested(
        answers=True, words=f"{words}.", took_s=took, server=identity.server, cluster=identity.cluster,
        role=identity.role, engine=identity.engine, engine_version=identity.engine_version,
        clock_skew_s=(identity.clock_us - data.clock()) / 1e6, reports=reports, members=members, known_as=known or "",
    )  # fmt: skip


def _members(probe: Probe) -> list[Member]:
    """None where the server does not tell of its cluster."""
    try:
        return probe.members().members
    except Unsupported:
        return []


@router.post("/read")
def read(text: Annotated[str, Body(media_type="text/plain", max_length=1_000_000)]) -> ReadServers:
    """Servers from a pasted text: addresses a line, CSV or YAML. Nothing is stored."""
    found, refused = read_list(text)
    servers = [
        NewServer.model_construct(address=j.address, name=j.name, cluster=j.cluster, labels=j.labels, account=j.account)
        for j in found
    ]
    return ReadServers(servers=servers, not_taken=[ReadLine(line=r.line, reason=r.reason) for r in refused])


@router.post("", status_code=201)
def add(request: NewServers, data: CurrentData, http: Request) -> list[Taken]:
    """Take servers into the fleet, each for itself; one that does not answer is said and not stored."""
    results = []
    for new in request.servers:
        _check(data, new)
    for new in request.servers:
        try:
            (joined,) = enrol(data.store, [Joining(**new.model_dump())])
            joined.probe.close()
            results.append(Taken(address=new.address, server=joined.name, error=""))
        except ProbeError as error:
            results.append(Taken(address=new.address, server="", error=str(error)))
    http.app.state.poke()
    return results


def _check(data: Data, new: NewServer) -> None:
    with data.store.read() as session:
        account_called(session, new.account)
        other = session.scalar(select(Server).where(Server.name == new.name)) if new.name else None
        if other is not None and other.address != new.address:
            detail = f"name: {new.name} is the server at {other.address}; choose another name"
            raise Problem(409, "The name is taken", detail, "name")


@router.get("/{server}/reports")
def reports(server: str, data: CurrentData) -> list[Report]:
    """What one server of the fleet reports, and what has to be switched on there for the rest."""
    with data.store.read() as session:
        owner = find_server(session, server)
    probe = probe_of(data.store, owner.id)
    try:
        return probe.readiness().reports
    finally:
        probe.close()


@router.patch("/{server}")
def edit(server: str, request: Edit, data: CurrentData, http: Request) -> Connection:
    """Change how a server is reached or grouped. Retired, it is recorded no more; what was recorded stays."""
    with data.store.write() as session:
        change(session, find_server(session, server), request, data.clock())
    http.app.state.poke()
    return next(row for row in connections(data).connections if row.server == server)
