"""Signing in: persons with a role, browsers that are signed in, tokens of programs. Secrets are kept as hashes only."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from typing import Literal, get_args

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from hardy_gauge.errors import Conflict, InvalidInput
from hardy_gauge.store.people import Person, SignIn, Token

Role = Literal["viewer", "engineer", "administrator"]
ROLES: tuple[Role, ...] = get_args(Role)
SIGNED_IN_US = 7 * 86_400_000_000
IDLE_US = 12 * 3_600_000_000
SEEN_EVERY_US = 300_000_000
FEWEST_CHARACTERS = 12
TOKEN = "hgt_"
_hasher = PasswordHasher()
_nobody = _hasher.hash(secrets.token_urlsafe())


@dataclass(frozen=True)
class Who:
    """Who asks: ``csrf_token`` is what a browser has to repeat with every write; empty for a program with a token."""

    name: str
    role: Role
    csrf_token: str = ""

    def may(self, role: Role) -> bool:
        """Whether the role is at least ``role``."""
        return ROLES.index(self.role) >= ROLES.index(role)


def hashed(secret: str) -> str:
    """Of long random secrets, which need no slow hash."""
    return hashlib.sha256(secret.encode()).hexdigest()


def add_person(session: Session, name: str, role: Role, password: str, now_us: int) -> Person:
    """InvalidInput when the password is too short, Conflict when the name is taken."""
    check_password(password)
    if session.scalar(select(Person.id).where(Person.name == name)) is not None:
        raise Conflict(f"name: there is someone named {name} already", "name", "The name is taken")
    person = Person(name=name, role=role, password=_hasher.hash(password), created_us=now_us)
    session.add(person)
    session.flush()
    return person


def check_password(password: str) -> None:
    """InvalidInput when a password is too weak."""
    if len(password) < FEWEST_CHARACTERS:
        raise InvalidInput(
            f"password: at least {FEWEST_CHARACTERS} characters were expected", "password", "The password is too weak"
        )


def set_password(session: Session, person: Person, password: str) -> None:
    """Every browser of the person is signed out."""
    check_password(password)
    person.password = _hasher.hash(password)
    sign_out_everywhere(session, person)


def anyone(session: Session) -> bool:
    """Whether any person is there yet."""
    return bool(session.scalar(select(func.count()).select_from(Person)))


def verified(session: Session, name: str, password: str) -> Person | None:
    """The person, when the password is theirs; an unknown name takes as long as a wrong password."""
    person = session.scalar(select(Person).where(Person.name == name))
    try:
        _hasher.verify(person.password if person else _nobody, password)
    except (VerificationError, InvalidHashError):
        return None
    return person if person is not None and not person.barred else None


def sign_in(session: Session, person: Person, now_us: int) -> str:
    """A new browser; returns what its cookie holds."""
    key = secrets.token_urlsafe(32)
    session.add(
        SignIn(key=hashed(key), person_id=person.id, csrf_token=secrets.token_urlsafe(24), created_us=now_us,
               seen_us=now_us, ends_us=now_us + SIGNED_IN_US)
    )  # fmt: skip
    return key


def sign_out_everywhere(session: Session, person: Person) -> None:
    """End all sign-ins of a person."""
    for row in session.scalars(select(SignIn).where(SignIn.person_id == person.id)):
        session.delete(row)


def of_cookie(session: Session, key: str, now_us: int) -> tuple[Who, bool] | None:
    """Who a cookie is of, and whether it is time to note that they were seen; None when it is of nobody any more."""
    row = session.get(SignIn, hashed(key))
    if row is None or now_us > min(row.ends_us, row.seen_us + IDLE_US) or row.person.barred:
        return None
    return Who(row.person.name, _role(row.person.role), row.csrf_token), now_us - row.seen_us > SEEN_EVERY_US


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
    least = min((_role(row.scope), _role(row.person.role)), key=ROLES.index)
    due = row.used_us is None or now_us - row.used_us > SEEN_EVERY_US
    return Who(f"{row.person.name} ({row.name})", least), due


def _role(text: str) -> Role:
    return next(role for role in ROLES if role == text)
