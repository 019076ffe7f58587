"""People and their roles, tokens of programs, and the audit log."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel, Field

from hardy_gauge.api.current import CurrentReader
from hardy_gauge.api.fields import Password, PersonName, Strict
from hardy_gauge.api.problems import RowId
from hardy_gauge.core.narrative.setup import people_sentence
from hardy_gauge.store import persons
from hardy_gauge.store import who as w
from hardy_gauge.store.persons import AuditLine, PersonOut, TokenOut

router = APIRouter(tags=["people"])


class NewPerson(Strict):
    name: PersonName
    role: w.Role = "viewer"
    password: Password


class PersonEdit(Strict):
    """Only what is given changes. Barred, someone is signed out everywhere at once."""

    role: w.Role | None = None
    barred: bool | None = None
    password: Password | None = None


class NewToken(Strict):
    name: str = Field(min_length=1, max_length=80)
    scope: w.Role = "viewer"
    days: int = Field(90, ge=1, le=365)


class People(BaseModel):
    """All people, those who are blocked too."""

    sentence: str
    people: list[PersonOut]


@router.get("/people")
def people(reader: CurrentReader) -> People:
    with reader.store.read() as session:
        found = persons.people_in(session)
    return People(sentence=people_sentence([one.barred for one in found]), people=found)


@router.post("/people", status_code=201)
def add(wanted: NewPerson, reader: CurrentReader) -> PersonOut:
    with reader.store.write() as session:
        made = w.add_person(session, wanted.name, wanted.role, wanted.password.get_secret_value(), reader.clock())
        return persons.person_out(session, made)


@router.patch("/people/{name}")
def edit(name: str, wanted: PersonEdit, reader: CurrentReader) -> PersonOut:
    password = None if wanted.password is None else wanted.password.get_secret_value()
    with reader.store.write() as session:
        return persons.edit_person(session, name, wanted.role, wanted.barred, password)


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


@router.get("/audit")
def audit(
    reader: CurrentReader, before_us: Annotated[int | None, Query(ge=0, le=2**62)] = None,
    most: Annotated[int, Query(ge=1, le=1000)] = 200,
) -> list[AuditLine]:  # fmt: skip
    """Writes, the newest first."""
    with reader.store.read() as session:
        return persons.audit_lines(session, before_us, most)
