"""The keyring: accounts by name. A secret goes in and is never given out again."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict, Field, SecretStr
from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.problems import Problem
from hardy_gauge.capture.access import account_of
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.models import Account, Server

router = APIRouter(tags=["accounts"], prefix="/accounts")
AccountName = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\s/]+$")]


class AccountOut(BaseModel):
    """Without its secret. ``servers`` use it, by themselves or by a group."""

    name: str
    user: str
    groups: list[str]
    changed_us: int
    servers: list[str]


class NewAccount(BaseModel):
    model_config = ConfigDict(extra="forbid")

    name: AccountName
    user: str = Field(max_length=200)
    secret: SecretStr = Field(max_length=4000)
    groups: list[str] = Field(default_factory=list, max_length=100)


class AccountEdit(BaseModel):
    """Only what is given changes; a new ``secret`` is used by every server of the account from then on."""

    model_config = ConfigDict(extra="forbid")

    user: str | None = Field(None, max_length=200)
    secret: SecretStr | None = Field(None, max_length=4000)
    groups: list[str] | None = Field(None, max_length=100)


def _out(session: Session, rows: list[Account]) -> list[AccountOut]:
    users: dict[int, list[str]] = {}
    for server in session.scalars(select(Server).where(Server.retired_us.is_(None)).order_by(Server.name)):
        account = account_of(session, server)
        if account is not None:
            users.setdefault(account.id, []).append(server.name)
    return [
        AccountOut(name=a.name, user=a.user, groups=a.groups, changed_us=a.changed_us, servers=users.get(a.id, []))
        for a in rows
    ]


@router.get("")
def accounts(data: CurrentData) -> list[AccountOut]:
    with data.store.read() as session:
        return _out(session, list(session.scalars(select(Account).order_by(Account.name))))


@router.post("", status_code=201)
def add(request: NewAccount, data: CurrentData, http: Request) -> AccountOut:
    with data.store.write() as session:
        if session.scalar(select(Account.id).where(Account.name == request.name)) is not None:
            raise Problem(409, "The name is taken", f"name: there is an account '{request.name}' already", "name")
        row = Account(
            name=request.name, user=request.user, groups=sorted(set(request.groups)), changed_us=data.clock(),
            secret=Keyring(data.settings.data).close(request.secret.get_secret_value()),
        )  # fmt: skip
        session.add(row)
        session.flush()
        made = _out(session, [row])[0]
    http.app.state.poke()
    return made


@router.patch("/{account}")
def edit(account: str, request: AccountEdit, data: CurrentData, http: Request) -> AccountOut:
    with data.store.write() as session:
        row = _find(session, account)
        if request.user is not None:
            row.user = request.user
        if request.secret is not None:
            row.secret = Keyring(data.settings.data).close(request.secret.get_secret_value())
        if request.groups is not None:
            row.groups = sorted(set(request.groups))
        row.changed_us = data.clock()
        changed = _out(session, [row])[0]
    http.app.state.poke()
    return changed


@router.delete("/{account}", status_code=204)
def remove(account: str, data: CurrentData, http: Request) -> None:
    """Only an account that no server uses can go."""
    _remove(data, account)
    http.app.state.poke()


def _remove(data: Data, account: str) -> None:
    with data.store.write() as session:
        row = _find(session, account)
        used = _out(session, [row])[0].servers
        named = list(session.scalars(select(Server.name).where(Server.account_id == row.id)))
        if used or named:
            detail = f"{', '.join(sorted({*used, *named}))} would have no account left; give them another first"
            raise Problem(409, "The account is in use", detail, "account")
        session.delete(row)


def _find(session: Session, name: str) -> Account:
    row = session.scalar(select(Account).where(Account.name == name))
    if row is None:
        raise Problem(404, "Unknown account", f"the keyring has no account '{name}'", "account")
    return row
