"""The keyring's accounts: added, changed, removed. A secret goes in and is never given out again."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.capture.access import account_of
from hardy_gauge.errors import Conflict, NotFound
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.models import Account, Server


@dataclass(frozen=True)
class AccountOut:
    """Without its secret. ``servers`` use it, by themselves or by a group."""

    name: str
    user: str
    groups: list[str]
    changed_us: int
    servers: list[str]


def accounts_in(session: Session) -> list[AccountOut]:
    """All, by name."""
    return [_out(session, row) for row in session.scalars(select(Account).order_by(Account.name))]


def add_account(
    session: Session, keyring: Keyring, name: str, user: str, secret: str, groups: list[str], now_us: int
) -> AccountOut:
    """Conflict when the name is taken."""
    if session.scalar(select(Account.id).where(Account.name == name)) is not None:
        raise Conflict(f"name: there is an account '{name}' already", "name", "The name is taken")
    row = Account(name=name, user=user, groups=sorted(set(groups)), changed_us=now_us, secret=keyring.close(secret))
    session.add(row)
    session.flush()
    return _out(session, row)


def edit_account(
    session: Session, keyring: Keyring, name: str, user: str | None, secret: str | None, groups: list[str] | None, now_us: int
) -> AccountOut:  # fmt: skip
    """Only what is not None changes; NotFound when there is no such account."""
    row = _find(session, name)
    row.user = row.user if user is None else user
    row.secret = row.secret if secret is None else keyring.close(secret)
    row.groups = row.groups if groups is None else sorted(set(groups))
    row.changed_us = now_us
    session.flush()
    return _out(session, row)


def remove_account(session: Session, name: str) -> None:
    """Conflict while a server uses it."""
    row = _find(session, name)
    named = session.scalars(select(Server.name).where(Server.account_id == row.id))
    if used := sorted({*_out(session, row).servers, *named}):
        detail = f"{', '.join(used)} would have no account left; give them another first"
        raise Conflict(detail, "account", "The account is in use")
    session.delete(row)


def _find(session: Session, name: str) -> Account:
    row = session.scalar(select(Account).where(Account.name == name))
    if row is None:
        raise NotFound(f"the keyring has no account '{name}'", "account", "Unknown account")
    return row


def _out(session: Session, row: Account) -> AccountOut:
    servers = session.scalars(select(Server).where(Server.retired_us.is_(None)).order_by(Server.name))
    using = [
        server.name for server in servers if (mine := account_of(session, server)) is not None and mine.id == row.id
    ]
    return AccountOut(row.name, row.user, row.groups, row.changed_us, using)
