"""People with their roles, tokens of programs and the audit log, as they are listed and changed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.core.narrative.audit import line_words
from hardy_gauge.core.time.span import DAY_US
from hardy_gauge.errors import Conflict, InvalidInput, NotAllowed, NotFound
from hardy_gauge.store import who as w
from hardy_gauge.store.people import Audit, Person, SignIn, StoredGrant, Token
from hardy_gauge.store.roles import FleetRole, Grant, Role, role_named
from hardy_gauge.store.second_factor import switch_off

ADMINISTRATOR: Role = "administrator"


@dataclass(frozen=True)
class PersonOut:
    """``role`` is for the whole fleet, ``grants`` are for parts of it. ``browsers`` are how many are signed in."""

    name: str
    role: FleetRole
    grants: list[Grant]
    barred: bool
    created_us: int
    seen_us: int | None
    browsers: int
    second_factor: bool


@dataclass(frozen=True)
class SignInOut:
    """A browser that is signed in; ``here`` is the one that asks."""

    id: str
    client: str
    browser: str
    created_us: int
    seen_us: int
    here: bool


@dataclass(frozen=True)
class TokenOut:
    """``token`` is only in the answer that made it."""

    id: int
    name: str
    scope: str
    person: str
    created_us: int
    ends_us: int
    used_us: int | None
    withdrawn: bool
    token: str = ""


@dataclass(frozen=True)
class AuditLine:
    """An act: when, by whom, what, from which address; ``changes`` are old and new values by row and column, ``more`` what
    else is known of it.
    """

    id: int
    at_us: int
    who: str
    action: str
    object: str
    client: str
    changes: dict[str, dict[str, list[Any]]]
    more: dict[str, Any]
    words: str
    hash: str


def person_named(session: Session, name: str, field: str = "name") -> Person:
    """NotFound when nobody has the name; ``field`` is where it was given."""
    found = session.scalar(select(Person).where(Person.name == name))
    if found is None:
        raise NotFound(f"{field}: nobody is named '{name}'", field, "Unknown person")
    return found


def person_out(session: Session, person: Person) -> PersonOut:
    """A person without secrets, with the last time of use."""
    rows = list(session.scalars(select(SignIn).where(SignIn.person_id == person.id)))
    seen = max((row.seen_us for row in rows), default=None)
    return PersonOut(
        person.name, role_named(person.role), list(w.grants_of(person)), person.barred, person.created_us, seen, len(rows),
        person.totp is not None,
    )  # fmt: skip


def sign_ins_of(session: Session, person: Person, here: str, now_us: int) -> list[SignInOut]:
    """The browsers of a person that are signed in, by when they were seen; ``here`` is the key of the one that asks."""
    rows = session.scalars(select(SignIn).where(SignIn.person_id == person.id).order_by(SignIn.seen_us.desc()))
    found = [
        SignInOut(_public(row), row.client, row.browser, row.created_us, row.seen_us, row.key == here)
        for row in rows
        if w.holds(row, now_us)
    ]
    return sorted(found, key=lambda one: not one.here)


def end_sign_in(session: Session, person: Person, public: str) -> bool:
    """Sign one browser of a person out; False when there is none of that number."""
    rows = session.scalars(select(SignIn).where(SignIn.person_id == person.id))
    row = next((row for row in rows if _public(row) == public), None)
    if row is not None:
        session.delete(row)
    return row is not None


def _public(row: SignIn) -> str:
    return w.hashed(row.key)[:16]


def people_in(session: Session) -> list[PersonOut]:
    """All, by name."""
    return [person_out(session, person) for person in session.scalars(select(Person).order_by(Person.name))]


def provided_person(session: Session, subject: str, name: str, role: Role | None, now_us: int) -> Person:
    """The person whom a provider vouches for, new where they never came before; their role follows the provider's groups.

    NotAllowed when they have none or are barred, Conflict when somebody else has their name here.
    """
    person = session.scalar(select(Person).where(Person.subject == subject))
    if role is None or (person is not None and person.barred):
        raise NotAllowed(f"provider: {name} may not sign in here; an administrator can change that", "provider")
    if person is None:
        person = w.add_person(session, name, role, "", now_us)
        person.subject = subject
    person.role = role
    session.flush()
    return person


def edit_person(
    session: Session,
    name: str,
    role: FleetRole | None,
    grants: Sequence[Grant] | None,
    barred: bool | None,
    password_hash: str | None,
    lost_device: bool,
) -> PersonOut:
    """Only what is not None changes; ``grants`` are all there are to be. Barred, someone is signed out everywhere at once; ``lost_device`` switches their second
    factor off. Conflict when no administrator would be left.
    """
    person = person_named(session, name)
    person.role = role or person.role
    if grants is not None:
        set_grants(person, grants)
    person.barred = person.barred if barred is None else barred
    session.flush()
    leads = select(Person.id).where(Person.role == ADMINISTRATOR, Person.barred.is_(False))
    if session.scalars(leads).first() is None:
        raise Conflict("role: someone has to stay administrator", "role", "The last administrator")
    if password_hash is not None:
        w.set_password(session, person, password_hash)
    if lost_device:
        switch_off(person)
    if person.barred:
        w.sign_out_everywhere(session, person)
    session.flush()
    return person_out(session, person)


def set_grants(person: Person, grants: Sequence[Grant]) -> None:
    """These and no others; InvalidInput where a cluster or label is named twice."""
    wanted: dict[tuple[str, str], Role] = {(grant.kind, grant.name): grant.role for grant in grants}
    if len(wanted) < len(grants):
        raise InvalidInput("grants: a cluster or label has one role for a person", "grants", "Two roles for one group")
    kept = [row for row in person.grants if (row.kind, row.name) in wanted]
    for row in kept:
        row.role = wanted.pop((row.kind, row.name))
    person.grants = kept + [StoredGrant(kind=kind, name=name, role=role) for (kind, name), role in wanted.items()]


def token_out(row: Token, token: str = "") -> TokenOut:
    """A token; its text only where it was just made."""
    return TokenOut(
        row.id, row.name, row.scope, row.person.name, row.created_us, row.ends_us, row.used_us, row.withdrawn, token
    )


def tokens_of(session: Session, who: w.Who) -> list[TokenOut]:
    """One's own; an administrator sees all."""
    rows = session.scalars(select(Token).order_by(Token.id.desc()))
    return [token_out(row) for row in rows if who.role == ADMINISTRATOR or row.person.name == who.name]


def add_token(session: Session, who: w.Who, name: str, scope: Role, days: int, now_us: int) -> TokenOut:
    """A new token of who asks; NotAllowed when it could do more than they."""
    if not who.may_somewhere(scope):
        raise NotAllowed(f"scope: {who.name} is not {scope} and cannot give more", "scope")
    person = session.scalar(select(Person).where(Person.name == who.name))
    if person is None:
        raise NotAllowed("a token cannot make tokens")
    token = w.make_token(session, person, name, scope, now_us + days * DAY_US, now_us)
    return token_out(session.scalars(select(Token).where(Token.key == w.hashed(token))).one(), token)


def withdraw_token(session: Session, who: w.Who, token_id: int) -> None:
    """NotFound when it is none of theirs; an administrator may withdraw all."""
    row = session.get(Token, token_id)
    if row is None or (who.role != ADMINISTRATOR and row.person.name != who.name):
        raise NotFound("there is no such token of yours", "token", "Unknown token")
    row.withdrawn = True


def audit_lines(session: Session, before_us: int | None, most: int) -> list[AuditLine]:
    """Acts, the newest first, perhaps only those before a moment."""
    query = select(Audit).order_by(Audit.id.desc()).limit(most)
    if before_us is not None:
        query = query.where(Audit.at_us < before_us)
    return [audit_line(row) for row in session.scalars(query)]


def audit_line(row: Audit) -> AuditLine:
    """A line as it is listed and exported."""
    more = {name: value for name, value in row.detail.items() if name not in ("from", "changes")}
    changes = row.detail.get("changes", {})
    return AuditLine(
        row.id, row.at_us, row.who, row.action, row.object, str(row.detail.get("from", "")),
        changes, more, line_words(changes, more), row.hash,
    )  # fmt: skip
