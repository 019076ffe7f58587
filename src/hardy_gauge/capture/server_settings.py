"""What of a server people change: how it is reached, grouped and read. The same on screen and from a file."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.capture.access import AccountUser, pair_server, use_of
from hardy_gauge.capture.registration import cluster_named, named_account
from hardy_gauge.errors import Conflict, InvalidInput
from hardy_gauge.input_document import InputDocument
from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.protocol import ProbeError
from hardy_gauge.probes.sqlpack.pack import FigureQuery
from hardy_gauge.store.models import Account, Server
from hardy_gauge.store.reach import WHOLE_FLEET

Address = Annotated[str, Field(min_length=1, max_length=1000)]
Name = Annotated[str, Field(max_length=80, pattern=r"^[^\s/][^/]*$|^$")]
Scrape = Annotated[str, Field(pattern=r"^https?://[^@]+$", max_length=1000)]


class Edit(InputDocument):
    """Only what is given changes."""

    cluster: Name | None = None
    labels: list[str] | None = Field(None, max_length=50)
    account: str | None = None
    address: Address | None = None
    figures: list[FigureQuery] | None = Field(None, max_length=50)
    scrapes: list[Scrape] | None = Field(None, max_length=10)
    retired: bool | None = None


def account_called(session: Session, name: str) -> Account | None:
    """None for an empty name; InvalidInput where the keyring has none of that name."""
    account = named_account(session, name)
    if name and account is None:
        known = ", ".join(session.scalars(select(Account.name).order_by(Account.name))) or "none"
        raise InvalidInput(f"account: the keyring has no '{name}'; it has: {known}", "account", "Unknown account")
    return account


def change(session: Session, server: Server, edit: Edit, now_us: int, user: AccountUser) -> None:
    """Make the changes; a GaugeError when one cannot be made. Retired, a server is recorded no more; what was recorded
    stays. ``user`` is who lets an account be used there.
    """
    before = use_of(session, server)
    if edit.cluster:
        server.cluster_id = cluster_named(session, edit.cluster).id
    if edit.labels is not None:
        server.labels = sorted({label.strip() for label in edit.labels if label.strip()})
    if edit.account is not None:
        account = account_called(session, edit.account)
        server.account_id = account.id if account else None
    if edit.address is not None:
        same = select(Server.name).where(Server.address == edit.address, Server.id != server.id)
        if session.scalar(same.execution_options(**WHOLE_FLEET)):
            whose = session.scalar(same) or "another server"  # one that is out of reach has no name here
            raise Conflict(f"address: {whose} has it already", "address", "The address is taken")
        _check(edit.address)
        server.address = edit.address
    if any(part is not None for part in (edit.cluster, edit.labels, edit.account, edit.address)):
        pair_server(session, server, user, before)
    if edit.figures is not None:
        names = [figure.name for figure in edit.figures]
        if len(set(names)) < len(names):
            raise InvalidInput("figures: every name is for one query", "figures", "Two figures of one name")
        server.figures = [figure.model_dump() for figure in edit.figures]
    if edit.scrapes is not None:
        server.scrapes = list(dict.fromkeys(edit.scrapes))
    if edit.retired is not None:
        server.retired_us = now_us if edit.retired else None


def _check(address: str) -> None:
    """Of a known kind and without a password; nobody is asked."""
    try:
        open_probe(address).close()
    except ProbeError as error:
        raise InvalidInput(f"address: {error}", "address", "Not an address") from error


def as_document(server: Server, account: Account | None) -> dict[str, Any]:
    """As it is written in a file, without what is empty; ``account`` is the one that the server itself names."""
    found: dict[str, Any] = {"server": server.name, "address": server.address, "cluster": server.cluster.name}
    figures = [FigureQuery.model_validate(row).model_dump(exclude_defaults=True) for row in server.figures]
    more = {
        "labels": list(server.labels), "account": account.name if account else "", "scrapes": list(server.scrapes),
        "figures": figures, "retired": server.retired_us is not None,
    }  # fmt: skip
    return found | {name: value for name, value in more.items() if value}
