"""Signing in: persons with a role, browsers that are signed in, tokens of programs. Secrets are kept as hashes only."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from hardy_gauge.core.time.span import DAY_US
from hardy_gauge.errors import Conflict
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.people import Person, SignIn, Token
from hardy_gauge.store.roles import ROLES, FleetRole, Grant, Role, at_least, grant_of, lesser, role_named

SIGNED_IN_US = 7 * DAY_US
IDLE_US = DAY_US // 2
SEEN_EVERY_US = 300_000_000
CONFIRMED_US = 900_000_000
REMEMBERED_US = 90 * DAY_US
TOKEN = "hgt_"


@dataclass(frozen=True)
class Who:
    """Who asks: ``csrf_token`` is what a browser has to repeat with every write; empty for a program with a token.
    ``confirmed`` is false for a browser whose password was given a while ago. ``role`` is for the whole fleet, ``grants`` are
    for parts of it. ``second_factor``: they have one, or a provider vouches for
    them, or it is a program. ``person`` is whose token it is; the same as ``name`` for a browser.
    """

    name: str
    person: str
    role: FleetRole
    grants: tuple[Grant, ...] = ()
    csrf_token: str = ""
    confirmed: bool = True
    second_factor: bool = True

    def may(self, role: Role) -> bool:
        """Whether they have at least ``role`` for the whole fleet."""
        return at_least(self.role, role)

    def may_somewhere(self, role: Role) -> bool:
        """Whether they have at least ``role`` for the fleet or a part of it."""
        return self.may(role) or any(at_least(grant.role, role) for grant in self.grants)


@dataclass(frozen=True)
class Browser:
    """What is known of a browser that signs in: the address it comes from and what it calls itself."""

    client: str
    name: str


def hashed(secret: str) -> str:
    """Of long random secrets, which need no slow hash."""
    return hashlib.sha256(secret.encode()).hexdigest()


def add_person(session: Session, name: str, role: FleetRole, password_hash: str, now_us: int) -> Person:
    """Conflict when the name is taken."""
    if session.scalar(select(Person.id).where(Person.name == name)) is not None:
        raise Conflict(f"name: there is someone named {name} already", "name", "The name is taken")
    person = Person(name=name, role=role, password=password_hash, created_us=now_us)
    session.add(person)
    session.flush()
    return person


def set_password(session: Session, person: Person, password_hash: str) -> None:
    """Every browser of the person is signed out, and every token of theirs is withdrawn."""
    person.password = password_hash
    sign_out_everywhere(session, person)
    for token in session.scalars(select(Token).where(Token.person_id == person.id, Token.withdrawn.is_(False))):
        token.withdrawn = True


def anyone(session: Session) -> bool:
    """Whether any person is there yet."""
    return bool(session.scalar(select(func.count()).select_from(Person)))


def known_from(session: Session, person_id: int, client: str) -> bool:
    """Whether the person has signed in from this address before."""
    return session.scalar(select(SignIn.key).where(SignIn.person_id == person_id, SignIn.client == client)) is not None


def sign_in(session: Session, person: Person, browser: Browser, before: str, now_us: int) -> str:
    """A new sign-in; returns what its cookie holds. The one that the browser had ``before`` (its cookie) ends."""
    key = secrets.token_urlsafe(32)
    old = session.get(SignIn, hashed(before)) if before else None
    if old is not None:
        session.delete(old)
    past = SignIn.person_id == person.id, SignIn.ends_us < now_us - REMEMBERED_US
    for row in session.scalars(select(SignIn).where(*past)):
        session.delete(row)
    session.add(
        SignIn(
            key=hashed(key), person_id=person.id, csrf_token=secrets.token_urlsafe(24), created_us=now_us, seen_us=now_us,
            ends_us=now_us + SIGNED_IN_US, client=browser.client, browser=browser.name[:200], confirmed_us=now_us,
        )
    )  # fmt: skip
    return key


def sign_out_everywhere(session: Session, person: Person) -> None:
    """End all sign-ins of a person."""
    for row in session.scalars(select(SignIn).where(SignIn.person_id == person.id)):
        session.delete(row)


def holds(row: SignIn, now_us: int) -> bool:
    """Whether a sign-in still counts."""
    return now_us <= min(row.ends_us, row.seen_us + IDLE_US) and not row.person.barred


def of_cookie(session: Session, key: str, now_us: int) -> tuple[Who, bool] | None:
    """Who a cookie is of, and whether it is time to note that they were seen; None when it is of nobody any more."""
    row = session.get(SignIn, hashed(key))
    if row is None or not holds(row, now_us):
        return None
    confirmed = now_us - row.confirmed_us <= CONFIRMED_US
    name = row.person.name
    factor = row.person.totp is not None or row.person.subject is not None
    who = Who(name, name, role_named(row.person.role), grants_of(row.person), row.csrf_token, confirmed, factor)
    return who, now_us - row.seen_us > SEEN_EVERY_US


def grants_of(person: Person) -> tuple[Grant, ...]:
    """The roles of a person for parts of the fleet."""
    return tuple(grant_of(row.kind, row.name, row.role) for row in person.grants)


def make_token(session: Session, person: Person, name: str, scope: Role, ends_us: int, now_us: int) -> str:
    """The token, which is shown this once."""
    token = TOKEN + secrets.token_urlsafe(32)
    row = Token(name=name, key=hashed(token), scope=scope, person_id=person.id, created_us=now_us, ends_us=ends_us)
    session.add(row)
    session.flush()
    return token


def of_token(session: Session, token: str, now_us: int) -> tuple[Who, bool] | None:
    """Who a token is of; it may do what its scope and its person's role both allow."""
    row = session.scalar(select(Token).where(Token.key == hashed(token)))
    if row is None or row.withdrawn or now_us > row.ends_us or row.person.barred:
        return None
    scope = next(role for role in ROLES if role == row.scope)
    grants = grants_of(row.person)
    kept = tuple(Grant(one.kind, one.name, one.role if at_least(scope, one.role) else scope) for one in grants)
    due = row.used_us is None or now_us - row.used_us > SEEN_EVERY_US
    name = row.person.name
    return Who(f"{name} ({row.name})", name, lesser(scope, role_named(row.person.role)), kept), due


def role_of(settings: AppSettings, groups: Sequence[str]) -> Role | None:
    """The highest role of a provider's groups, or the one of everybody; None when a person may not sign in."""
    found = [role for group, _, role in (one.rpartition(":") for one in settings.oidc_roles) if group in groups]
    known = [role for role in ROLES if role in (found or [settings.oidc_role])]
    return known[-1] if known else None
