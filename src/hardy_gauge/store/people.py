"""Tables of who may do what, and who did. Secrets are kept as hashes."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, LargeBinary, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from hardy_gauge.store.models import Base


class Person(Base):
    """Someone who signs in; ``password`` is an Argon2 hash. Nobody is deleted, so that the audit log keeps its names.

    ``totp`` is the encrypted secret of the second factor, ``totp_step`` the last time step used, ``recovery`` are hashes of
    codes that have not been used. ``role`` is for the whole fleet ("none" for nothing but ``grants``). ``subject`` is who they are at the provider that vouches for them; such a person has no
    password here.
    """

    __tablename__ = "person"
    AUDITED = ("name", "role", "barred", "subject")
    SECRETS = ("password", "totp")
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    role: Mapped[str]
    password: Mapped[str]
    created_us: Mapped[int]
    barred: Mapped[bool] = mapped_column(default=False)
    totp: Mapped[bytes | None] = mapped_column(LargeBinary, default=None)
    totp_step: Mapped[int] = mapped_column(default=0)
    recovery: Mapped[list[Any]] = mapped_column(default=list)
    subject: Mapped[str | None] = mapped_column(default=None, index=True)
    grants: Mapped[list[StoredGrant]] = relationship(
        cascade="all, delete-orphan", order_by="StoredGrant.kind, StoredGrant.name"
    )


class StoredGrant(Base):
    """A role of a person for one cluster or one label, besides the one for the whole fleet."""

    __tablename__ = "grant"
    __table_args__ = (UniqueConstraint("person_id", "kind", "name"),)
    AUDITED = ("person_id", "kind", "name", "role")
    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    kind: Mapped[str]
    name: Mapped[str]
    role: Mapped[str]


class SignIn(Base):
    """A browser that is signed in; ``key`` is the hash of its cookie, ``client`` the address it came from, ``browser`` what it
    calls itself. ``confirmed_us`` is when the password was given last.
    """

    __tablename__ = "sign_in"
    key: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), index=True)
    csrf_token: Mapped[str]
    created_us: Mapped[int]
    seen_us: Mapped[int]
    ends_us: Mapped[int]
    client: Mapped[str] = mapped_column(default="")
    browser: Mapped[str] = mapped_column(default="")
    confirmed_us: Mapped[int] = mapped_column(default=0)
    person: Mapped[Person] = relationship()


class Token(Base):
    """A program's access: ``key`` is the hash of the token, ``scope`` the most it may do."""

    __tablename__ = "token"
    AUDITED = ("name", "scope", "ends_us", "withdrawn")
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    key: Mapped[str] = mapped_column(unique=True)
    scope: Mapped[str]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), index=True)
    created_us: Mapped[int]
    ends_us: Mapped[int]
    used_us: Mapped[int | None] = mapped_column(default=None)
    withdrawn: Mapped[bool] = mapped_column(default=False)
    person: Mapped[Person] = relationship()


class Audit(Base):
    """One act: who, what, on what. Rows are only ever added; ``hash`` follows from ``previous`` and the rest (see
    ``store.audit``).
    """

    __tablename__ = "audit"
    id: Mapped[int] = mapped_column(primary_key=True)
    at_us: Mapped[int]
    who: Mapped[str]
    action: Mapped[str]
    object: Mapped[str]
    detail: Mapped[dict[str, Any]]
    previous: Mapped[str]
    hash: Mapped[str]
