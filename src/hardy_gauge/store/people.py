"""Tables of who may do what, and who did. Secrets are kept as hashes."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey
from sqlalchemy.orm import Mapped, mapped_column, relationship

from hardy_gauge.store.models import Base


class Person(Base):
    """Someone who signs in; ``password`` is an Argon2 hash. Nobody is deleted, so that the audit log keeps its names."""

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    role: Mapped[str]
    password: Mapped[str]
    created_us: Mapped[int]
    barred: Mapped[bool] = mapped_column(default=False)


class SignIn(Base):
    """A browser that is signed in; ``key`` is the hash of its cookie."""

    __tablename__ = "sign_in"
    key: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), index=True)
    csrf_token: Mapped[str]
    created_us: Mapped[int]
    seen_us: Mapped[int]
    ends_us: Mapped[int]
    person: Mapped[Person] = relationship()


class Token(Base):
    """A program's access: ``key`` is the hash of the token, ``scope`` the most it may do."""

    __tablename__ = "token"
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
    """One write: who, what, on what, and why. Rows are only ever added."""

    __tablename__ = "audit"
    id: Mapped[int] = mapped_column(primary_key=True)
    at_us: Mapped[int]
    who: Mapped[str]
    action: Mapped[str]
    object: Mapped[str]
    detail: Mapped[dict[str, Any]]
