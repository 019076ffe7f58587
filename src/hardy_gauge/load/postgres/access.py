"""How a lab server of the fleet is reached for a trial: by which accounts, encrypted as they say, and never by whom they are not for."""

from __future__ import annotations

from contextlib import ExitStack
from dataclasses import dataclass, field
from typing import Any

import psycopg
from sqlalchemy import make_url, select
from sqlalchemy.orm import Session

from hardy_gauge.capture.access import APPLICATION, AccountUser, account_of, usable_credential
from hardy_gauge.errors import GaugeError, ProbeError
from hardy_gauge.lab.made.calls import said
from hardy_gauge.load.design import BadTrial
from hardy_gauge.probes.outbound import endpoint_of, policy
from hardy_gauge.probes.sqlpack.pack import pack_for
from hardy_gauge.probes.sqlpack.postgresql.connecting import arguments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Account, Server


def is_postgresql(server: Server) -> bool:
    """Whether a server is reached as a PostgreSQL itself, not through a probe."""
    pack = pack_for(server.address.partition(":")[0])
    return pack is not None and pack.engine == "postgresql"


@dataclass
class ServerAccess:
    """What connections are opened with, by the account that changes the server (``changer``) and by the one that plays (``player``).

    Files that they need are kept until ``close``.
    """

    server_id: int
    account_id: int | None
    database: str
    changer: dict[str, Any] = field(repr=False)
    player: dict[str, Any] = field(repr=False)
    kept: ExitStack = field(default_factory=ExitStack)

    def close(self) -> None:
        """Take the files away."""
        self.kept.close()


def open_access(
    store: Store, server: str, account: str | None, player: str | None, database: str | None, user: AccountUser = APPLICATION
) -> ServerAccess:  # fmt: skip
    """BadTrial names the account that is not there, not for the host, or not for the person."""
    with store.read() as session:
        row = session.scalars(select(Server).where(Server.name == server)).one()
        changes = _account(session, "target.account", account) if account else account_of(session, row)
        plays = _account(session, "target.player", player) if player else changes
        kept = ExitStack()
        try:
            return ServerAccess(
                row.id, changes.id if changes else None, database or make_url(row.address).database or "postgres",
                _reached(store, kept, row, "target.account", changes, database, user),
                _reached(store, kept, row, "target.player", plays, database, user), kept,
            )  # fmt: skip
        except BaseException:
            kept.close()
            raise


def access_of(store: Store, server_id: int, account_id: int | None, database: str) -> ServerAccess:
    """As a trial of before had it, to set back what it left."""
    with store.read() as session:
        row, kept = session.get_one(Server, server_id), ExitStack()
        account = session.get(Account, account_id) if account_id is not None else None
        try:
            reached = _reached(store, kept, row, "target.account", account, database, APPLICATION)
        except BaseException:
            kept.close()
            raise
        return ServerAccess(server_id, account_id, database, reached, reached, kept)


def _account(session: Session, name: str, given: str) -> Account:
    found = session.scalar(select(Account).where(Account.name == given))
    if found is None:
        raise BadTrial(f"{name}: the keyring has no entry {given}", name)
    return found


def _reached(
    store: Store, kept: ExitStack, server: Server, name: str, account: Account | None, database: str | None, user: AccountUser
) -> dict[str, Any]:  # fmt: skip
    url = make_url(server.address)
    endpoint = endpoint_of(server.address)
    assert endpoint is not None, "it is a database address"
    try:
        credential = usable_credential(store, server.address, account, user)
        addresses = policy().resolve(endpoint)
        given = kept.enter_context(arguments(url, endpoint, addresses, credential))
    except ProbeError as error:
        raise BadTrial(f"{name}: {error}", name) from error
    except GaugeError as error:
        raise BadTrial(f"{name}: {error.detail.removeprefix('account: ')}", name) from error
    return given | ({"dbname": database} if database else {}) | ({} if given.get("dbname") else {"dbname": "postgres"})


def connect(reached: dict[str, Any], name: str, field_: str = "target.server") -> psycopg.Connection[Any]:
    """A session that commits each statement, known by its application name. BadTrial where the server does not let it in."""
    try:
        return psycopg.connect(**reached | {"application_name": name}, autocommit=True, prepare_threshold=None)
    except psycopg.Error as error:
        raise BadTrial(f"{field_}: {said(error)}", field_) from error
