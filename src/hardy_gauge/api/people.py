"""People and their roles, tokens of programs, and the audit log."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import asdict
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field
from sqlalchemy import select
from starlette.concurrency import run_in_threadpool

from hardy_gauge.api.current import CurrentReader, passwords_of
from hardy_gauge.api.downloads import attachment
from hardy_gauge.api.fields import Password, PersonName, Strict
from hardy_gauge.api.problems import RowId
from hardy_gauge.core.narrative.audit import chain_words
from hardy_gauge.core.narrative.setup import people_sentence
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import audit, persons
from hardy_gauge.store import who as w
from hardy_gauge.store.passwords import hash_password
from hardy_gauge.store.people import Audit
from hardy_gauge.store.persons import AuditLine, PersonOut, TokenOut
from hardy_gauge.store.roles import FleetRole, Grant, GroupKind, Role
from hardy_gauge.store.servers import groups_in

router = APIRouter(tags=["people"])


class NewGrant(Strict):
    kind: GroupKind
    name: str = Field(min_length=1, max_length=200, description="of the cluster, or the label")
    role: Literal["viewer", "engineer"]


Grants = Annotated[list[NewGrant], Field(max_length=200)]


class NewPerson(Strict):
    name: PersonName
    role: FleetRole = "viewer"
    grants: Grants = Field(default_factory=list)
    password: Password


class PersonEdit(Strict):
    """Only what is given changes. Barred, someone is signed out everywhere at once."""

    role: FleetRole | None = None
    grants: Grants | None = Field(None, description="roles for parts of the fleet, all of them")
    barred: bool | None = None
    password: Password | None = None
    second_factor: Literal[False] | None = Field(None, description="false: their device is lost, so switch it off")


class NewToken(Strict):
    name: str = Field(min_length=1, max_length=80)
    scope: Role = "viewer"
    days: int = Field(90, ge=1, le=365)


class Groups(BaseModel):
    """The parts of the fleet that there are, for which somebody may have a role."""

    clusters: list[str]
    labels: list[str]


class People(BaseModel):
    """All people, those who are blocked too."""

    sentence: str
    people: list[PersonOut]
    groups: Groups


@router.get("/people")
def people(reader: CurrentReader) -> People:
    with reader.store.read() as session:
        found = persons.people_in(session)
        clusters, labels = groups_in(session)
    return People(
        sentence=people_sentence([one.barred for one in found]), people=found,
        groups=Groups(clusters=clusters, labels=labels),
    )  # fmt: skip


@router.post("/people", status_code=201)
async def add(wanted: NewPerson, reader: CurrentReader, request: Request) -> PersonOut:
    kept = await passwords_of(request).run(lambda: hash_password(wanted.password.get_secret_value(), wanted.name))
    return await run_in_threadpool(_added, reader, wanted, kept)


def _added(reader: Reader, wanted: NewPerson, kept: str) -> PersonOut:
    with reader.store.write() as session:
        made = w.add_person(session, wanted.name, wanted.role, kept, reader.clock())
        persons.set_grants(made, _grants(wanted.grants))
        session.flush()
        return persons.person_out(session, made)


@router.patch("/people/{name}")
async def edit(name: str, wanted: PersonEdit, reader: CurrentReader, request: Request) -> PersonOut:
    """With a new password their browsers are signed out and their tokens withdrawn."""
    password = None if wanted.password is None else wanted.password.get_secret_value()
    kept = None if password is None else await passwords_of(request).run(lambda: hash_password(password, name))
    return await run_in_threadpool(_edited, reader, name, wanted, kept)


def _edited(reader: Reader, name: str, wanted: PersonEdit, kept: str | None) -> PersonOut:
    with reader.store.write() as session:
        lost = wanted.second_factor is False
        grants = None if wanted.grants is None else _grants(wanted.grants)
        return persons.edit_person(session, name, wanted.role, grants, wanted.barred, kept, lost)


def _grants(wanted: Grants) -> list[Grant]:
    return [Grant(one.kind, one.name, one.role) for one in wanted]


@router.get("/tokens")
def tokens(request: Request, reader: CurrentReader) -> list[TokenOut]:
    """One's own; an administrator sees all."""
    with reader.store.read() as session:
        return persons.tokens_of(session, request.state.who)


@router.post("/tokens", status_code=201)
def make_token(wanted: NewToken, request: Request, reader: CurrentReader) -> TokenOut:
    with reader.store.write() as session:
        return persons.add_token(
            session, request.state.who, wanted.name, wanted.scope, wanted.days, reader.clock()
        )  # fmt: skip


@router.delete("/tokens/{token}", status_code=204)
def withdraw(token: RowId, request: Request, reader: CurrentReader) -> None:
    with reader.store.write() as session:
        persons.withdraw_token(session, request.state.who, token)


class AuditState(BaseModel):
    """Whether the chain of hashes holds; ``broken`` is the number of the first line that does not follow."""

    broken: int | None
    words: str


@router.get("/audit/state")
def audit_state(reader: CurrentReader) -> AuditState:
    with reader.store.read() as session:
        broken = audit.first_broken(session)
    return AuditState(broken=broken, words=chain_words(broken))


@router.get("/audit/export", response_class=StreamingResponse, responses={200: {"content": {"application/jsonl": {}}}})
def audit_export(reader: CurrentReader) -> StreamingResponse:
    """The whole log as JSON lines, the oldest first."""

    def lines() -> Iterator[str]:
        with reader.store.read() as session:
            for row in session.scalars(select(Audit).order_by(Audit.id).execution_options(yield_per=500)):
                yield json.dumps(asdict(persons.audit_line(row))) + "\n"

    return StreamingResponse(lines(), media_type="application/jsonl", headers=attachment("audit.jsonl"))


@router.get("/audit")
def audit_log(
    reader: CurrentReader, before_us: Annotated[int | None, Query(ge=0, le=2**62)] = None,
    most: Annotated[int, Query(ge=1, le=1000)] = 200,
) -> list[AuditLine]:  # fmt: skip
    """Acts, the newest first."""
    with reader.store.read() as session:
        return persons.audit_lines(session, before_us, most)
