"""How a server of the fleet is reached: its address, and its account from the keyring."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.errors import AccountNotForHost, AccountNotForPerson, NeverAsked, ProbeError
from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.outbound import Credential, Endpoint, endpoint_of
from hardy_gauge.probes.protocol import Probe
from hardy_gauge.probes.sqlpack.pack import FigureQuery
from hardy_gauge.store.database import Store
from hardy_gauge.store.keyring import Keyring, KeyringError
from hardy_gauge.store.models import Account, Server
from hardy_gauge.store.servers import is_behind_address


@dataclass(frozen=True)
class AccountUser:
    """Who gives an account to a server or tries it: a person by name, or None for the application and whoever has its machine.
    With ``may_pair`` they may use every account, and at a new host, which is added to it then.
    """

    name: str | None = None
    may_pair: bool = False


APPLICATION = AccountUser()
OPERATOR = AccountUser(may_pair=True)


def account_of(session: Session, server: Server) -> Account | None:
    """The account that a server names; else the first, by name, whose groups have its cluster or one of its labels."""
    if server.account_id is not None:
        return session.get(Account, server.account_id)
    mine = {server.cluster.name, *server.labels}
    accounts = session.scalars(select(Account).order_by(Account.name))
    return next((account for account in accounts if mine & set(account.groups)), None)


def is_for(account: Account, address: str) -> bool:
    """Whether an account names the host of an address; a file is on none and needs no account."""
    endpoint = endpoint_of(address)
    return endpoint is not None and any(endpoint.fits(entry) for entry in account.hosts)


def use_of(session: Session, server: Server) -> tuple[str, int | None]:
    """At which address which account is used."""
    account = account_of(session, server)
    return server.address, account.id if account else None


def check_use(account: Account, user: AccountUser) -> None:
    """AccountNotForPerson where the keyring names who may use the account, and they are not among them."""
    if account.people and user.name is not None and not user.may_pair and user.name not in account.people:
        detail = (
            f"account: {account.name} may be used by {', '.join(account.people)}; an administrator can add {user.name}"
        )
        raise AccountNotForPerson(detail, "account")


def pair(account: Account, address: str, user: AccountUser) -> None:
    """Let an account be used at an address. AccountNotForHost where it names another host and the user may not pair; else the
    host is added to it.
    """
    if is_for(account, address):
        return
    endpoint = endpoint_of(address)
    if endpoint is None:
        return
    if not user.may_pair:
        raise AccountNotForHost(_not_for(account, endpoint), "account")
    account.hosts = sorted({*account.hosts, endpoint.host if endpoint.local else str(endpoint)})


def pair_server(
    session: Session, server: Server, user: AccountUser, before: tuple[str, int | None] | None = None
) -> None:
    """Let the account of a server be used at its address, as ``check_use`` and ``pair`` do; for after one of them has changed.
    ``before`` is what ``use_of`` gave before.
    """
    session.flush()
    session.expire(server, ["cluster"])
    account = account_of(session, server)
    if account is not None and is_behind_address(server.address):
        if use_of(session, server) != before:
            check_use(account, user)
        pair(account, server.address, user)


def _not_for(account: Account, endpoint: Endpoint) -> str:
    named = ", ".join(account.hosts) or "no host yet"
    return f"account: {account.name} is for {named}, not for {endpoint}; an administrator can add it to the keyring's entry"


def opened(
    store: Store,
    address: str,
    account: Account | None,
    figures: list[FigureQuery] | None = None,
    user: AccountUser = APPLICATION,
) -> Probe:
    """A probe for an address and an account. AccountNotForHost when the account is not for that host and the user may not pair,
    AccountNotForPerson when it is not for them, ProbeError when its secret cannot be read, NeverAsked for a server that came in a file.
    """
    credential = usable_credential(store, address, account, user)
    return open_probe(address, credential, figures or ())


def usable_credential(
    store: Store, address: str, account: Account | None, user: AccountUser = APPLICATION
) -> Credential | None:
    """The account with its secret for a connection to an address, None where there is no account or it is a file; raises as ``opened``."""
    if not is_behind_address(address):
        raise NeverAsked("it came in a file, so there is no server behind it to ask", "server")
    endpoint = endpoint_of(address)
    if account is None or endpoint is None:
        return None
    store.note("account used", account=account.name, at=str(endpoint))
    check_use(account, user)
    if not user.may_pair and not is_for(account, address):
        raise AccountNotForHost(_not_for(account, endpoint), "account")
    return credential_of(store, account)


def credential_of(store: Store, account: Account) -> Credential:
    """The account with its secret; ProbeError when it cannot be read."""
    try:
        secret = Keyring(store.path.parent).open(account.secret)
    except KeyringError as error:
        raise ProbeError(f"account {account.name}: {error}") from error
    return Credential(account.user, secret, account.plain_text, account.certificate)


def probe_of(store: Store, server_id: int) -> Probe:
    """A probe of a server of the fleet, with the user's own figures. The caller closes it."""
    with store.read() as session:
        server = session.get_one(Server, server_id)
        figures = [FigureQuery.model_validate(document) for document in server.figures]
        return opened(store, server.address, account_of(session, server), figures)
