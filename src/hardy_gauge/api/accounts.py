"""The keyring: accounts by name. A secret goes in and is never given out again."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field, SecretStr

from hardy_gauge.api.current import CurrentReader, CurrentSettings
from hardy_gauge.api.fields import Strict
from hardy_gauge.capture import accounts as keyring
from hardy_gauge.capture.accounts import AccountChanges, AccountOut
from hardy_gauge.capture.server_settings import Address
from hardy_gauge.core.narrative.setup import accounts_sentence
from hardy_gauge.store.keyring import Keyring

router = APIRouter(tags=["accounts"], prefix="/accounts")
AccountName = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\s/]+$")]


Host = Annotated[str, Field(max_length=300, pattern=r"^\s*(/[^\s,]*|(\*\.)?[^\s/,@*]+)\s*$")]
Hosts = Annotated[
    list[Host], Field(max_length=1000, description='"host", "host:port", "*.domain" or a socket\'s folder')
]
Certificate = Annotated[str, Field(max_length=200_000, description="trusted authorities as PEM; empty: the system's")]


People = Annotated[
    list[str],
    Field(max_length=1000, description="who may give it to a server or try it; empty: whoever may connect servers"),
]


class NewAccount(Strict):
    name: AccountName
    user: str = Field(max_length=200)
    secret: SecretStr = Field(max_length=4000)
    groups: list[str] = Field(default_factory=list, max_length=100)
    hosts: Hosts = Field(default_factory=list)
    plain_text: bool = Field(False, description="may be sent where nothing is encrypted")
    certificate: Certificate = ""
    people: People = Field(default_factory=list)


class AccountEdit(Strict):
    """Only what is given changes; a new ``secret`` is used by every server of the account from then on."""

    user: str | None = Field(None, max_length=200)
    secret: SecretStr | None = Field(None, max_length=4000)
    groups: list[str] | None = Field(None, max_length=100)
    hosts: Hosts | None = None
    plain_text: bool | None = None
    certificate: Certificate | None = None
    people: People | None = None


def _changes(request: NewAccount | AccountEdit) -> AccountChanges:
    secret = None if request.secret is None else request.secret.get_secret_value()
    return AccountChanges(
        request.user, secret, request.groups, request.hosts, request.plain_text, request.certificate, request.people
    )


class Accounts(BaseModel):
    """All accounts, without their secrets."""

    sentence: str
    accounts: list[AccountOut]


@router.get("")
def accounts(reader: CurrentReader) -> Accounts:
    with reader.store.read() as session:
        found = keyring.accounts_in(session)
    return Accounts(sentence=accounts_sentence([one.servers for one in found]), accounts=found)


@router.post("", status_code=201)
def add(request: NewAccount, reader: CurrentReader, settings: CurrentSettings, http: Request) -> AccountOut:
    with reader.store.write() as session:
        made = keyring.add_account(session, Keyring(settings.data), request.name, _changes(request), reader.clock())
    http.app.state.poke()
    return made


class AccountForAddress(Strict):
    """Who signs in at one server."""

    address: Address
    user: str = Field(min_length=1, max_length=200)
    secret: SecretStr = Field(max_length=4000)


@router.post("/for-address", status_code=201)
def add_for_address(request: AccountForAddress, reader: CurrentReader, settings: CurrentSettings) -> AccountOut:
    """A new account for the host of one address alone, named after both."""
    with reader.store.write() as session:
        secret = request.secret.get_secret_value()
        return keyring.account_for_address(
            session, Keyring(settings.data), request.address, request.user, secret, reader.clock()
        )


@router.patch("/{account}")
def edit(
    account: str, request: AccountEdit, reader: CurrentReader, settings: CurrentSettings, http: Request
) -> AccountOut:
    with reader.store.write() as session:
        changed = keyring.edit_account(session, Keyring(settings.data), account, _changes(request), reader.clock())
    http.app.state.poke()
    return changed


@router.delete("/{account}", status_code=204)
def remove(account: str, reader: CurrentReader, http: Request) -> None:
    """Only an account that no server uses can go."""
    with reader.store.write() as session:
        keyring.remove_account(session, account)
    http.app.state.poke()
