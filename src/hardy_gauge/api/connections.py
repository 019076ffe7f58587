"""The servers of the fleet as they are reached: test, read a list, register, edit, retire."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body, Request
from pydantic import BaseModel, Field

from hardy_gauge.api.current import CurrentAccountUser, CurrentReader
from hardy_gauge.api.fields import Strict
from hardy_gauge.capture import connections as query
from hardy_gauge.capture.connections import Connection, Connections, Registered, Tested, WhatIsReported
from hardy_gauge.capture.nearby import NearbyOut
from hardy_gauge.capture.nearby import nearby as databases_here
from hardy_gauge.capture.registration import Registration
from hardy_gauge.capture.server_lists import RejectedLine, read_list
from hardy_gauge.capture.server_settings import Address, Edit, Name, change
from hardy_gauge.store.servers import find_server

router = APIRouter(tags=["connections"], prefix="/connections")
Names = Annotated[list[str], Field(min_length=1, max_length=1000)]


class TestRequest(Strict):
    address: Address
    account: str = ""


class NewServer(Strict):
    address: Address
    name: Name = ""
    cluster: Name = ""
    labels: list[str] = Field(default_factory=list, max_length=50)
    account: str = ""


class NewServers(Strict):
    servers: list[NewServer] = Field(min_length=1, max_length=1000)


class ReadServers(BaseModel):
    servers: list[Registration]
    rejected: list[RejectedLine]


class Labels(Strict):
    """Labels that servers are given and lose."""

    servers: Names
    add: list[Annotated[str, Field(min_length=1, max_length=80)]] = Field(default_factory=list, max_length=50)
    remove: list[str] = Field(default_factory=list, max_length=50)


class Retiring(Strict):
    servers: Names
    retired: bool


@router.get("")
def connections(reader: CurrentReader) -> Connections:
    return query.connections_of(reader.store, reader.clock())


@router.post("/labels", status_code=204)
def label(request: Labels, reader: CurrentReader, user: CurrentAccountUser, http: Request) -> None:
    """Change the labels of many servers, all of them or none."""
    with reader.store.write() as session:
        query.change_labels(session, request.servers, request.add, request.remove, user)
    http.app.state.poke()


@router.post("/retire", status_code=204)
def retire(request: Retiring, reader: CurrentReader, http: Request) -> None:
    """Retire many servers, or bring them back, all of them or none."""
    with reader.store.write() as session:
        query.retire(session, request.servers, request.retired, reader.clock())
    http.app.state.poke()


class Nearby(Strict):
    """``allow``: addresses of databases on this machine that may be connected from now on."""

    allow: list[Annotated[str, Field(max_length=500)]] = Field(default_factory=list, max_length=20)


@router.post("/nearby")
def nearby(request: Nearby, reader: CurrentReader) -> list[NearbyOut]:
    """Databases that answer on this machine, at the usual sockets and ports."""
    with reader.store.write() as session:
        return databases_here(session, request.allow)


@router.post("/test")
def test(request: TestRequest, reader: CurrentReader, user: CurrentAccountUser) -> Tested:
    """Try an address with an account: who answers, what it reports, what must be switched on, who else is there."""
    return query.test_address(reader.store, request.address, request.account, reader.clock(), user)


@router.post("/read")
def read(text: Annotated[str, Body(media_type="text/plain", max_length=1_000_000)]) -> ReadServers:
    """Servers from a pasted text: an address a line, CSV or YAML. Nothing is stored."""
    servers, rejected = read_list(text)
    return ReadServers(servers=servers, rejected=rejected)


@router.post("", status_code=201)
def add(request: NewServers, reader: CurrentReader, user: CurrentAccountUser, http: Request) -> list[Registered]:
    """Take servers into the fleet, each by itself; one that does not answer is said and not stored."""
    wanted = [Registration(**new.model_dump()) for new in request.servers]
    results = query.register_several(reader.store, wanted, user)
    http.app.state.poke()
    return results


@router.post("/{server}/reports")
def reports(server: str, reader: CurrentReader) -> WhatIsReported:
    """Ask one server of the fleet what it reports, and what has to be switched on there for the rest."""
    return query.reports_of(reader.store, server)


@router.patch("/{server}")
def edit(server: str, request: Edit, reader: CurrentReader, user: CurrentAccountUser, http: Request) -> Connection:
    """Change how a server is reached or grouped. Retired, it is recorded no more; what was recorded stays."""
    with reader.store.write() as session:
        change(session, find_server(session, server), request, reader.clock(), user)
    http.app.state.poke()
    found = query.connections_of(reader.store, reader.clock()).connections
    return next(row for row in found if row.server == server)
