"""Signing in and out, the first administrator, one's own password."""

from __future__ import annotations

import secrets
from typing import Annotated

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field, SecretStr
from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.api.authorisation import COOKIE, cookie_of
from hardy_gauge.api.current import CurrentReader, CurrentSettings
from hardy_gauge.api.fields import Password, PersonName, Strict
from hardy_gauge.api.sign_in_limits import SignInLimits
from hardy_gauge.errors import Conflict, NotAllowed, NotFound, NotSignedIn
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import who as w
from hardy_gauge.store.people import Person, SignIn

router = APIRouter(tags=["sign-in"])
DEMO = "demo"


class Me(BaseModel):
    """Who is asking. ``csrf_token`` goes with every write as the header x-csrf-token; ``first`` is true while nobody
    can sign in yet.
    """

    signed_in: bool
    name: str
    role: str
    csrf_token: str
    demo: bool
    first: bool


class Credentials(Strict):
    name: str = Field(max_length=80)
    password: Password


class First(Strict):
    code: Annotated[SecretStr, Field(max_length=200)]
    name: PersonName
    password: Password


class NewPassword(Strict):
    old: Password
    new: Password


def _enter(reader: Reader, session: Session, person: Person, request: Request, response: Response) -> None:
    key = w.sign_in(session, person, reader.clock())
    request.state.who = w.Who(person.name, next(role for role in w.ROLES if role == person.role))
    response.set_cookie(
        COOKIE, key, max_age=w.SIGNED_IN_US // 1_000_000, httponly=True, samesite="strict",
        secure=request.url.scheme == "https",
    )  # fmt: skip


@router.get("/me")
def me(request: Request, reader: CurrentReader, settings: CurrentSettings) -> Me:
    who: w.Who | None = request.state.who
    with reader.store.read() as session:
        first = not settings.demo and not w.anyone(session)
    return Me(
        signed_in=who is not None, name=who.name if who else "", role=who.role if who else "",
        csrf_token=who.csrf_token if who else "", demo=settings.demo, first=first,
    )  # fmt: skip


@router.post("/sign-in", status_code=204)
def sign_in(credentials: Credentials, request: Request, response: Response, reader: CurrentReader) -> None:
    limits: SignInLimits = request.app.state.sign_in_limits
    keys = (f"name {credentials.name}", f"from {request.client.host if request.client else ''}")
    limits.check(*keys)
    with reader.store.write() as session:
        person = w.verified(session, credentials.name, credentials.password.get_secret_value())
        if person is not None:
            _enter(reader, session, person, request, response)
    if person is None:
        limits.failed(*keys)
        raise NotSignedIn("the name or the password is wrong", "password")


@router.post("/sign-in/demo", status_code=204)
def sign_in_demo(request: Request, response: Response, reader: CurrentReader, settings: CurrentSettings) -> None:
    """One click, in the demo alone: its servers are made up, and so is its administrator."""
    if not settings.demo:
        raise NotFound("only the demo lets everyone in", "", "Not the demo")
    with reader.store.write() as session:
        person = session.scalar(select(Person).where(Person.name == DEMO))
        if person is None:
            person = w.add_person(session, DEMO, "administrator", secrets.token_urlsafe(32), reader.clock())
        _enter(reader, session, person, request, response)


@router.post("/first", status_code=204)
def first(wanted: First, request: Request, response: Response, reader: CurrentReader) -> None:
    """The first administrator, by whoever can read the code that the application printed at its start."""
    limits: SignInLimits = request.app.state.sign_in_limits
    limits.check("first")
    with reader.store.write() as session:
        if w.anyone(session):
            raise Conflict("there are people already; sign in", "", "Not the first")
        code = wanted.code.get_secret_value()
        if not secrets.compare_digest(code.encode(), request.app.state.first_code.encode()):
            limits.failed("first")
            raise NotSignedIn("the code is printed where the application was started", "code", "Not the code")
        person = w.add_person(session, wanted.name, "administrator", wanted.password.get_secret_value(), reader.clock())
        _enter(reader, session, person, request, response)


@router.post("/sign-out", status_code=204)
def sign_out(request: Request, response: Response, reader: CurrentReader) -> None:
    key = cookie_of(request.headers)
    with reader.store.write() as session:
        row = session.get(SignIn, w.hashed(key)) if key else None
        if row is not None:
            session.delete(row)
    response.delete_cookie(COOKIE)


@router.post("/me/password", status_code=204)
def change_password(wanted: NewPassword, request: Request, response: Response, reader: CurrentReader) -> None:
    """Other browsers of the person are signed out."""
    with reader.store.write() as session:
        person = w.verified(session, request.state.who.name, wanted.old.get_secret_value())
        if person is None:
            raise NotAllowed("old: it is not the password that is set", "old", "Not changed")
        w.set_password(session, person, wanted.new.get_secret_value())
        _enter(reader, session, person, request, response)
