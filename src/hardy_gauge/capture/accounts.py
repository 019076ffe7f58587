"""The keyring's accounts: added, changed, removed. A secret goes in and is never given out again."""

from __future__ import annotations

import re
import ssl
from dataclasses import dataclass
from itertools import chain, count

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.capture.access import account_of
from hardy_gauge.errors import Conflict, InvalidInput, NotFound, ProbeError
from hardy_gauge.probes.outbound import endpoint_of
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.models import Account, Server
from hardy_gauge.store.persons import person_named


@dataclass(frozen=True)
class AccountOut:
    """Without its secret. ``servers`` use it, by themselves or by a group."""

    name: str
    user: str
    groups: list[str]
    hosts: list[str]
    plain_text: bool
    certificate: str
    people: list[str]
    changed_us: int
    servers: list[str]


def accounts_in(session: Session) -> list[AccountOut]:
    """All, by name."""
    return [_out(session, row) for row in session.scalars(select(Account).order_by(Account.name))]


@dataclass(frozen=True)
class AccountChanges:
    """What of an account is changed; None leaves it as it is."""

    user: str | None = None
    secret: str | None = None
    groups: list[str] | None = None
    hosts: list[str] | None = None
    plain_text: bool | None = None
    certificate: str | None = None
    people: list[str] | None = None


def add_account(session: Session, keyring: Keyring, name: str, changes: AccountChanges, now_us: int) -> AccountOut:
    """Conflict when the name is taken."""
    if session.scalar(select(Account.id).where(Account.name == name)) is not None:
        raise Conflict(f"name: there is an account '{name}' already", "name", "The name is taken")
    row = Account(name=name, user="", secret=b"", groups=[], hosts=[], plain_text=False, certificate="", people=[])
    _change(session, row, keyring, changes, now_us)
    session.add(row)
    session.flush()
    return _out(session, row)


def account_for_address(
    session: Session, keyring: Keyring, address: str, user: str, secret: str, now_us: int
) -> AccountOut:
    """A new account for the host and port of an address alone; its name is made of both. It goes unencrypted only where it
    does not leave this machine. InvalidInput when the address is of a file.
    """
    try:
        endpoint = endpoint_of(address)
    except ProbeError as error:
        raise InvalidInput(f"address: {error}", "address") from error
    if endpoint is None:
        raise InvalidInput("address: a file needs no account", "address")
    place = str(endpoint) if not endpoint.local else f"{endpoint.host.strip('/').replace('/', '-')}:{endpoint.port}"
    base = re.sub(r"[\s/]+", "-", f"{user}@{place}")[:70]
    taken = set(session.scalars(select(Account.name)))
    name = next(n for n in chain([base], (f"{base}-{number}" for number in count(2))) if n not in taken)
    changes = AccountChanges(user, secret, hosts=[str(endpoint)], plain_text=endpoint.on_this_machine)
    return add_account(session, keyring, name, changes, now_us)


def edit_account(session: Session, keyring: Keyring, name: str, changes: AccountChanges, now_us: int) -> AccountOut:
    """Only what is not None changes; NotFound when there is no such account."""
    row = _find(session, name)
    _change(session, row, keyring, changes, now_us)
    session.flush()
    return _out(session, row)


def _change(session: Session, row: Account, keyring: Keyring, changes: AccountChanges, now_us: int) -> None:
    row.user = row.user if changes.user is None else changes.user
    row.secret = row.secret if changes.secret is None else keyring.close(changes.secret)
    row.groups = row.groups if changes.groups is None else sorted(set(changes.groups))
    row.hosts = row.hosts if changes.hosts is None else sorted({host.strip() for host in changes.hosts if host.strip()})
    row.plain_text = row.plain_text if changes.plain_text is None else changes.plain_text
    if changes.certificate is not None:
        row.certificate = _checked(changes.certificate.strip())
    if changes.people is not None:
        row.people = sorted({person_named(session, name, "people").name for name in changes.people})
    row.changed_us = now_us


def _checked(certificate: str) -> str:
    """The text, when it is PEM; InvalidInput otherwise."""
    if certificate:
        try:
            ssl.create_default_context(cadata=certificate)
        except (ssl.SSLError, ValueError, TypeError) as error:
            detail = "certificate: authorities as PEM were expected, -----BEGIN CERTIFICATE----- and so on"
            raise InvalidInput(detail, "certificate") from error
    return certificate


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
    return AccountOut(
        row.name, row.user, row.groups, row.hosts, row.plain_text, row.certificate, row.people, row.changed_us,
        using,
    )  # fmt: skip
