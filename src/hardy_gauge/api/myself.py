"""What people change of their own: password, second factor, browsers that are signed in; and that they confirm who they are."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Request, Response
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from hardy_gauge.api.authorisation import cookie_of
from hardy_gauge.api.browser import sign_in_browser
from hardy_gauge.api.current import CurrentName, CurrentReader, CurrentSettings, limits_of, passwords_of
from hardy_gauge.api.fields import Code, Password, Strict
from hardy_gauge.errors import NotAllowed, NotFound
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import persons
from hardy_gauge.store import who as w
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.passwords import hash_password, matches
from hardy_gauge.store.people import Person, SignIn
from hardy_gauge.store.persons import SignInOut
from hardy_gauge.store.second_factor import Enrolment, accepted, enrolment, switch_off, switch_on

router = APIRouter(tags=["sign-in"], prefix="/me")


class NewPassword(Strict):
    old: Password
    new: Password


class Confirmation(Strict):
    password: Password
    code: Code = ""


class NewFactor(Strict):
    secret: str = Field(max_length=100, description="as it was given out")
    code: Code


class RecoveryCodes(BaseModel):
    """Shown this once; each signs in once in place of a code."""

    codes: list[str]


def _me(session: Session, name: str) -> Person:
    person = session.scalar(select(Person).where(Person.name == name))
    if person is None:
        raise NotAllowed("a person does this, not a token")
    return person


async def _checked(reader: Reader, request: Request, what: str, name: str, password: str) -> str:
    """The hash of the password, when it is right; NotAllowed otherwise."""
    limits = limits_of(request)
    limits.count(what, name, field=what)

    def look() -> str:
        with reader.store.read() as session:
            return _me(session, name).password

    kept = await run_in_threadpool(look)
    if not await passwords_of(request).run(lambda: matches(kept, password)):
        raise NotAllowed(f"{what}: it is not the password that is set", what, "Not the password")
    limits.succeeded(what, name)
    return kept


@router.post("/password", status_code=204)
async def change_password(
    wanted: NewPassword, request: Request, response: Response, reader: CurrentReader, name: CurrentName
) -> None:
    """Other browsers of the person are signed out, and their tokens are withdrawn."""
    kept = await _checked(reader, request, "old", name, wanted.old.get_secret_value())
    new = await passwords_of(request).run(lambda: hash_password(wanted.new.get_secret_value(), name))

    def finish() -> None:
        with reader.store.write() as session:
            person = _me(session, name)
            if person.password != kept:
                raise NotAllowed("old: it is not the password that is set", "old", "Not the password")
            w.set_password(session, person, new)
            session.flush()
            sign_in_browser(reader, session, person, request, response)

    await run_in_threadpool(finish)


@router.post("/confirm", status_code=204)
async def confirm(
    wanted: Confirmation, request: Request, reader: CurrentReader, settings: CurrentSettings, name: CurrentName
) -> None:
    """Say again who one is, which is asked before roles, the keyring and the like are changed."""
    await _checked(reader, request, "password", name, wanted.password.get_secret_value())
    if wanted.code:
        limits_of(request).count("code", name, field="code")

    def finish() -> None:
        with reader.store.write() as session:
            if not accepted(_me(session, name), Keyring(settings.data), wanted.code, reader.clock()):
                raise NotAllowed(
                    "code: the six digits that your device shows are needed too", "code", "A code is needed"
                )
            row = session.get(SignIn, w.hashed(cookie_of(request.headers, request.url.scheme)))
            if row is not None:
                row.confirmed_us = reader.clock()

    await run_in_threadpool(finish)
    limits_of(request).succeeded("code", name)


@router.get("/sign-ins")
def sign_ins(request: Request, reader: CurrentReader, name: CurrentName) -> list[SignInOut]:
    """One's own browsers that are signed in, the one that asks first."""
    with reader.store.read() as session:
        return persons.sign_ins_of(
            session, _me(session, name), w.hashed(cookie_of(request.headers, request.url.scheme)), reader.clock()
        )


@router.delete("/sign-ins/{sign_in}", status_code=204)
def end_sign_in(sign_in: Annotated[str, Path(max_length=64)], reader: CurrentReader, name: CurrentName) -> None:
    with reader.store.write() as session:
        if not persons.end_sign_in(session, _me(session, name), sign_in):
            raise NotFound("no browser of yours is signed in under that number", "sign_in", "Unknown sign-in")


@router.post("/second-factor/new")
def new_factor(reader: CurrentReader, name: CurrentName) -> Enrolment:
    """A secret for one's device; nothing is kept until its code comes back."""
    with reader.store.read() as session:
        return enrolment(_me(session, name).name)


@router.put("/second-factor")
def set_factor(wanted: NewFactor, reader: CurrentReader, settings: CurrentSettings, name: CurrentName) -> RecoveryCodes:
    """Switch the second factor on, or over to another device."""
    with reader.store.write() as session:
        person = _me(session, name)
        codes = switch_on(person, Keyring(settings.data), wanted.secret, wanted.code, reader.clock())
    return RecoveryCodes(codes=codes)


@router.delete("/second-factor", status_code=204)
def no_factor(reader: CurrentReader, name: CurrentName) -> None:
    with reader.store.write() as session:
        switch_off(_me(session, name))
