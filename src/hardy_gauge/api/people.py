"""Signing in and out, people and their roles, tokens of programs, and the audit log."""

from __future__ import annotations

import secrets
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from limits import RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter
from pydantic import BaseModel, ConfigDict, Field, SecretStr
from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.guard import COOKIE, cookie_of
from hardy_gauge.api.problems import Problem, RowId
from hardy_gauge.store import who as w
from hardy_gauge.store.people import Audit, Person, SignIn, Token

router = APIRouter(tags=["people"])
DAY_US = 86_400_000_000
FAILURES = RateLimitItemPerMinute(5, 5)
Password = Annotated[SecretStr, Field(max_length=1000)]
PersonName = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\s/]+$")]
DEMO = "demo"


class Strict(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Me(BaseModel):
    """Who is asking. ``guard`` goes with every write as the header x-guard; ``first`` is true while nobody can sign in
    yet.
    """

    signed_in: bool
    name: str
    role: str
    guard: str
    demo: bool
    first: bool


class Credentials(Strict):
    name: str = Field(max_length=80)
    password: Password


class First(Strict):
    code: str = Field(max_length=200)
    name: PersonName
    password: Password


class PersonOut(BaseModel):
    name: str
    role: w.Role
    barred: bool
    created_us: int
    seen_us: int | None
    browsers: int


class NewPerson(Strict):
    name: PersonName
    role: w.Role = "viewer"
    password: Password


class PersonEdit(Strict):
    """Only what is given changes. Barred, someone is signed out everywhere at once."""

    role: w.Role | None = None
    barred: bool | None = None
    password: Password | None = None


class NewPassword(Strict):
    old: Password
    new: Password


class NewToken(Strict):
    name: str = Field(min_length=1, max_length=80)
    scope: w.Role = "viewer"
    days: int = Field(90, ge=1, le=365)


class TokenOut(BaseModel):
    id: int
    name: str
    scope: str
    person: str
    created_us: int
    ends_us: int
    used_us: int | None
    withdrawn: bool
    token: str = Field("", description="only in the answer that made it")


class AuditLine(BaseModel):
    at_us: int
    who: str
    action: str
    object: str
    client: str


class SignInLimits:
    """At most five failures of a name or from an address in five minutes."""

    def __init__(self) -> None:
        self._limiter = MovingWindowRateLimiter(MemoryStorage())

    def check(self, *keys: str) -> None:
        if not all(self._limiter.test(FAILURES, key) for key in keys):
            raise Problem(429, "Too many attempts", "wait five minutes before the next one", "password")

    def failed(self, *keys: str) -> None:
        for key in keys:
            self._limiter.hit(FAILURES, key)


def _enter(data: Data, session: Session, person: Person, request: Request, response: Response) -> None:
    key = w.sign_in(session, person, data.clock())
    request.state.who = w.Who(person.name, next(role for role in w.ROLES if role == person.role))
    response.set_cookie(
        COOKIE, key, max_age=w.SIGNED_IN_US // 1_000_000, httponly=True, samesite="strict",
        secure=request.url.scheme == "https",
    )  # fmt: skip


@router.get("/me")
def me(request: Request, data: CurrentData) -> Me:
    who: w.Who | None = request.state.who
    with data.store.read() as session:
        first = not data.settings.demo and not w.anyone(session)
    return Me(
        signed_in=who is not None, name=who.name if who else "", role=who.role if who else "",
        guard=who.guard if who else "", demo=data.settings.demo, first=first,
    )  # fmt: skip


@router.post("/sign-in", status_code=204)
def sign_in(credentials: Credentials, request: Request, response: Response, data: CurrentData) -> None:
    limits: SignInLimits = request.app.state.sign_in_limits
    keys = (f"name {credentials.name}", f"from {request.client.host if request.client else ''}")
    limits.check(*keys)
    with data.store.write() as session:
        person = w.verified(session, credentials.name, credentials.password.get_secret_value())
        if person is not None:
            _enter(data, session, person, request, response)
    if person is None:
        limits.failed(*keys)
        raise Problem(401, "Not signed in", "the name or the password is wrong", "password")


@router.post("/sign-in/demo", status_code=204)
def sign_in_demo(request: Request, response: Response, data: CurrentData) -> None:
    """One click, in the demo alone: its servers are made up, and so is its administrator."""
    if not data.settings.demo:
        raise Problem(404, "Not the demo", "only the demo lets everyone in", "")
    with data.store.write() as session:
        person = session.scalar(select(Person).where(Person.name == DEMO))
        if person is None:
            person = w.add_person(session, DEMO, "administrator", secrets.token_urlsafe(32), data.clock())
        _enter(data, session, person, request, response)


@router.post("/first", status_code=204)
def first(wanted: First, request: Request, response: Response, data: CurrentData) -> None:
    """The first administrator, by whoever can read the code that the application printed at its start."""
    limits: SignInLimits = request.app.state.sign_in_limits
    limits.check("first")
    with data.store.write() as session:
        if w.anyone(session):
            raise Problem(409, "Not the first", "there are people already; sign in", "")
        if not secrets.compare_digest(wanted.code.encode(), request.app.state.first_code.encode()):
            limits.failed("first")
            raise Problem(401, "Not the code", "the code is printed where the application was started", "code")
        person = _added(session, wanted.name, "administrator", wanted.password, data)
        _enter(data, session, person, request, response)


@router.post("/sign-out", status_code=204)
def sign_out(request: Request, response: Response, data: CurrentData) -> None:
    key = cookie_of(request.headers)
    with data.store.write() as session:
        row = session.get(SignIn, w.hashed(key)) if key else None
        if row is not None:
            session.delete(row)
    response.delete_cookie(COOKIE)


def _added(session: Session, name: str, role: w.Role, password: SecretStr, data: Data) -> Person:
    try:
        return w.add_person(session, name, role, password.get_secret_value(), data.clock())
    except ValueError as error:
        taken = "already" in str(error)
        raise Problem(409 if taken else 422, "Not added", str(error), "name" if taken else "password") from error


def _person(session: Session, name: str) -> Person:
    found = session.scalar(select(Person).where(Person.name == name))
    if found is None:
        raise Problem(404, "Unknown person", f"nobody is named '{name}'", "name")
    return found


def _out(session: Session, person: Person) -> PersonOut:
    rows = list(session.scalars(select(SignIn).where(SignIn.person_id == person.id)))
    seen = max((row.seen_us for row in rows), default=None)
    role = next(role for role in w.ROLES if role == person.role)
    return PersonOut(
        name=person.name,
        role=role,
        barred=person.barred,
        created_us=person.created_us,
        seen_us=seen,
        browsers=len(rows),
    )


@router.get("/people")
def people(data: CurrentData) -> list[PersonOut]:
    with data.store.read() as session:
        return [_out(session, person) for person in session.scalars(select(Person).order_by(Person.name))]


@router.post("/people", status_code=201)
def add(wanted: NewPerson, data: CurrentData) -> PersonOut:
    with data.store.write() as session:
        return _out(session, _added(session, wanted.name, wanted.role, wanted.password, data))


@router.patch("/people/{name}")
def edit(name: str, wanted: PersonEdit, data: CurrentData) -> PersonOut:
    with data.store.write() as session:
        person = _person(session, name)
        person.role = wanted.role or person.role
        person.barred = person.barred if wanted.barred is None else wanted.barred
        _still_led(session)
        if wanted.password is not None:
            _new_password(session, person, wanted.password)
        if person.barred:
            w.sign_out_everywhere(session, person)
        session.flush()
        return _out(session, person)


def _still_led(session: Session) -> None:
    session.flush()
    leads = select(Person.id).where(Person.role == "administrator", Person.barred.is_(False))
    if session.scalars(leads).first() is None:
        raise Problem(409, "The last administrator", "someone has to stay administrator", "role")


def _new_password(session: Session, person: Person, password: SecretStr) -> None:
    try:
        w.set_password(session, person, password.get_secret_value())
    except ValueError as error:
        raise Problem(422, "Not changed", str(error), "password") from error


@router.post("/me/password", status_code=204)
def change_password(wanted: NewPassword, request: Request, response: Response, data: CurrentData) -> None:
    """Other browsers of the person are signed out."""
    with data.store.write() as session:
        person = w.verified(session, request.state.who.name, wanted.old.get_secret_value())
        if person is None:
            raise Problem(403, "Not changed", "the old password is not this one", "old")
        _new_password(session, person, wanted.new)
        _enter(data, session, person, request, response)


def _token(row: Token, token: str = "") -> TokenOut:
    return TokenOut(
        id=row.id, name=row.name, scope=row.scope, person=row.person.name, created_us=row.created_us,
        ends_us=row.ends_us, used_us=row.used_us, withdrawn=row.withdrawn, token=token,
    )  # fmt: skip


@router.get("/tokens")
def tokens(request: Request, data: CurrentData) -> list[TokenOut]:
    """One's own; an administrator sees all."""
    who: w.Who = request.state.who
    with data.store.read() as session:
        rows = session.scalars(select(Token).order_by(Token.id.desc()))
        return [_token(row) for row in rows if who.role == "administrator" or row.person.name == who.name]


@router.post("/tokens", status_code=201)
def make_token(wanted: NewToken, request: Request, data: CurrentData) -> TokenOut:
    who: w.Who = request.state.who
    if not who.may(wanted.scope):
        raise Problem(403, "Not allowed", f"scope: {who.name} is {who.role} and cannot give more", "scope")
    now = data.clock()
    with data.store.write() as session:
        person = session.scalar(select(Person).where(Person.name == who.name))
        if person is None:
            raise Problem(403, "Not allowed", "a token cannot make tokens", "")
        token = w.make_token(session, person, wanted.name, wanted.scope, now + wanted.days * DAY_US, now)
        row = session.scalars(select(Token).where(Token.key == w.hashed(token))).one()
        return _token(row, token)


@router.delete("/tokens/{token}", status_code=204)
def withdraw(token: RowId, request: Request, data: CurrentData) -> None:
    who: w.Who = request.state.who
    with data.store.write() as session:
        row = session.get(Token, token)
        if row is None or (who.role != "administrator" and row.person.name != who.name):
            raise Problem(404, "Unknown token", "there is no such token of yours", "token")
        row.withdrawn = True


@router.get("/audit")
def audit(
    data: CurrentData, before_us: Annotated[int | None, Query(ge=0, le=2**62)] = None,
    most: Annotated[int, Query(ge=1, le=1000)] = 200,
) -> list[AuditLine]:  # fmt: skip
    """Writes, the newest first."""
    query = select(Audit).order_by(Audit.id.desc()).limit(most)
    if before_us is not None:
        query = query.where(Audit.at_us < before_us)
    with data.store.read() as session:
        return [
            AuditLine(at_us=a.at_us, who=a.who, action=a.action, object=a.object, client=str(a.detail.get("from", "")))
            for a in session.scalars(query)
        ]
