"""How a server of the fleet is reached: its address, and its account from the keyring."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.errors import NeverAsked, ProbeError
from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.protocol import Probe
from hardy_gauge.probes.sqlpack.pack import FigureQuery
from hardy_gauge.store.database import Store
from hardy_gauge.store.keyring import Keyring, KeyringError
from hardy_gauge.store.models import BUNDLE, IMPORT, Account, Server


def account_of(session: Session, server: Server) -> Account | None:
    """The account that a server names; else the first, by name, whose groups have its cluster or one of its labels."""
    if server.account_id is not None:
        return session.get(Account, server.account_id)
    mine = {server.cluster.name, *server.labels}
    accounts = session.scalars(select(Account).order_by(Account.name))
    return next((account for account in accounts if mine & set(account.groups)), None)


def is_behind_address(address: str) -> bool:
    """Whether there is a server to ask: not where it came in a bundle or was imported from files."""
    return not address.startswith((BUNDLE, IMPORT))


def opened(store: Store, address: str, account: Account | None, figures: list[FigureQuery] | None = None) -> Probe:
    """A probe for an address and an account; ProbeError when the account's secret cannot be read, NeverAsked
    for a server that came in a file.
    """
    if not is_behind_address(address):
        raise NeverAsked("it came in a file, so there is no server behind it to ask", "server")
    if account is None:
        return open_probe(address, figures=figures or ())
    try:
        secret = Keyring(store.path.parent).open(account.secret)
    except KeyringError as error:
        raise ProbeError(f"account {account.name}: {error}") from error
    return open_probe(address, account.user, secret, figures or ())


def probe_of(store: Store, server_id: int) -> Probe:
    """A probe of a server of the fleet, with the user's own figures. The caller closes it."""
    with store.read() as session:
        server = session.get_one(Server, server_id)
        figures = [FigureQuery.model_validate(document) for document in server.figures]
        return opened(store, server.address, account_of(session, server), figures)
