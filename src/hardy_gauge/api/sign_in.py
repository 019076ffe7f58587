"""Signing in and out, and the first administrator."""

from __future__ import annotations

import secrets
from typing import Annotated

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field, SecretStr
from sqlalchemy import select
from starlette.concurrency import run_in_threadpool

from hardy_gauge.api.authorisation import cookie_name, cookie_of
from hardy_gauge.api.browser import sign_in_browser
from hardy_gauge.api.current import CurrentReader, CurrentSettings, client_of, limits_of, passwords_of
from hardy_gauge.api.fields import Code, Password, PersonName, Strict
from hardy_gauge.core.narrative.setup import you_sentence
from hardy_gauge.errors import Conflict, NotFound, NotSignedIn
from hardy_gauge.store import who as w
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.passwords import hash_of_nobody, hash_password, matches
from hardy_gauge.store.people import Person, SignIn
from hardy_gauge.store.roles import Grant
from hardy_gauge.store.second_factor import accepted

router = APIRouter(tags=["sign-in"])
DEMO = "demo"


class Me(BaseModel):
    """Who is asking. ``csrf_token`` goes with every write as the header x-csrf-token; ``first`` is true while nobody
    can sign in yet.
    """

    signed_in: bool
    name: str
    role: str
    grants: list[Grant] = Field(description="roles for parts of the fleet; role is for all of it")
    words: str
    csrf_token: str
    demo: bool
    first: bool
    second_factor: bool
    provider: str = Field(description="what the provider is called through which one can sign in; empty for none")
    by_provider: bool = Field(description="the provider vouches for who asks, so there is no password")


class Credentials(Strict):
    name: str = Field(max_length=80)
    password: Password
    code: Code = ""


class First(Strict):
    code: Annotated[SecretStr, Field(max_length=200)]
    name: PersonName
    password: Password


@router.get("/me")
def me(request: Request, reader: CurrentReader, settings: CurrentSettings) -> Me:
    who: w.Who | None = request.state.who
    with reader.store.read() as session:
        first = not settings.demo and not w.anyone(session)
        person = session.scalar(select(Person).where(Person.name == who.name)) if who else None
    return Me(
        signed_in=who is not None, name=who.name if who else "", role=who.role if who else "",
        grants=list(who.grants) if who else [],
        words=you_sentence(who.name, who.role, [(g.role, g.kind, g.name) for g in who.grants]) if who else "",
        csrf_token=who.csrf_token if who else "", demo=settings.demo, first=first,
        second_factor=person is not None and person.totp is not None,
        provider=settings.oidc_name if settings.oidc_issuer else "",
        by_provider=person is not None and person.subject is not None,
    )  # fmt: skip


@router.post("/sign-in", status_code=204)
async def sign_in(
    credentials: Credentials, request: Request, response: Response, reader: CurrentReader, settings: CurrentSettings
) -> None:
    """The password is checked outside of any transaction, and a try is counted before it is looked at."""
    name, address, limits = credentials.name, client_of(request), limits_of(request)

    def look() -> tuple[str, bool]:
        with reader.store.read() as session:
            person = session.scalar(select(Person).where(Person.name == name))
            return (person.password, w.known_from(session, person.id, address)) if person else ("", False)

    kept, known = await run_in_threadpool(look)
    await limits.admit(name, address, known)
    password = credentials.password.get_secret_value()
    right = await passwords_of(request).run(lambda: matches(kept or hash_of_nobody(), password))

    def finish() -> None:
        if not right:
            raise NotSignedIn("the name or the password is wrong", "password")
        with reader.store.write() as session:
            person = session.scalar(select(Person).where(Person.name == name, Person.password == kept))
            if person is None or person.barred:
                raise NotSignedIn("the name or the password is wrong", "password")
            if person.totp is not None and not credentials.code:
                raise NotSignedIn(
                    "code: the six digits that your device shows are needed too", "code", "A code is needed"
                )
            if not accepted(person, Keyring(settings.data), credentials.code, reader.clock()):
                raise NotSignedIn("code: it is not the one that your device shows now", "code", "Not the code")
            sign_in_browser(reader, session, person, request, response)

    try:
        await run_in_threadpool(finish)
    except NotSignedIn:
        await run_in_threadpool(reader.store.note, "sign-in refused", name=name)
        raise
    limits.succeeded("sign in", name, address)


@router.post("/sign-in/demo", status_code=204)
def sign_in_demo(request: Request, response: Response, reader: CurrentReader, settings: CurrentSettings) -> None:
    """One click, in the demo alone: its servers are made up, and so is its administrator."""
    if not settings.demo:
        raise NotFound("only the demo lets everyone in", "", "Not the demo")
    with reader.store.read() as session:
        known = session.scalar(select(Person.id).where(Person.name == DEMO))
    password = "" if known else hash_password(secrets.token_urlsafe(32), DEMO)
    with reader.store.write() as session:
        person = session.scalar(select(Person).where(Person.name == DEMO))
        if person is None:
            person = w.add_person(session, DEMO, "administrator", password, reader.clock())
        sign_in_browser(reader, session, person, request, response)


@router.post("/first", status_code=204)
async def first(wanted: First, request: Request, response: Response, reader: CurrentReader) -> None:
    """The first administrator, by whoever can read the code that the application printed at its start."""
    limits = limits_of(request)
    limits.count("first", client_of(request), field="code")
    password, code = wanted.password.get_secret_value(), wanted.code.get_secret_value()

    def check() -> None:
        with reader.store.read() as session:
            if w.anyone(session):
                raise Conflict("there are people already; sign in", "", "Not the first")
        if not secrets.compare_digest(code.encode(), request.app.state.first_code.encode()):
            raise NotSignedIn("the code is printed where the application was started", "code", "Not the code")

    await run_in_threadpool(check)
    kept = await passwords_of(request).run(lambda: hash_password(password, wanted.name))

    def finish() -> None:
        with reader.store.write() as session:
            if w.anyone(session):
                raise Conflict("there are people already; sign in", "", "Not the first")
            person = w.add_person(session, wanted.name, "administrator", kept, reader.clock())
            sign_in_browser(reader, session, person, request, response)

    await run_in_threadpool(finish)
    limits.succeeded("first", client_of(request))


@router.post("/sign-out", status_code=204)
def sign_out(request: Request, response: Response, reader: CurrentReader) -> None:
    key = cookie_of(request.headers, request.url.scheme)
    with reader.store.write() as session:
        row = session.get(SignIn, w.hashed(key)) if key else None
        if row is not None:
            session.delete(row)
    response.delete_cookie(cookie_name(request.url.scheme), secure=request.url.scheme == "https")
