"""The servers of the fleet as they are reached: listed, tested, registered, labelled, retired."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from hardy_gauge.capture.access import AccountUser, account_of, opened, pair_server, probe_of, use_of
from hardy_gauge.capture.registration import Registration, register
from hardy_gauge.capture.rules import rule_for
from hardy_gauge.capture.server_settings import account_called, as_document
from hardy_gauge.capture.settings_file import COMMAND, as_yaml, named
from hardy_gauge.capture.targets import rules_of
from hardy_gauge.core.narrative.connections import connections_sentence, switch_on_script, tested_words
from hardy_gauge.errors import AccountNotForHost, AccountNotForPerson, Conflict, ProbeError, Unsupported
from hardy_gauge.probes.protocol import Member, Probe, Report
from hardy_gauge.probes.sqlpack.pack import FigureQuery
from hardy_gauge.probes.sqlpack.recognise import recognised
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server
from hardy_gauge.store.servers import capture_state, find_server


@dataclass(frozen=True)
class Connection:
    """How one server is reached, which rule it is recorded by, and what is done."""

    server: str
    cluster: str
    role: str
    engine: str
    engine_version: str
    address: str
    labels: list[str]
    account: str
    account_by: str
    figures: list[FigureQuery]
    scrapes: list[str]
    retired: bool
    rule: str
    rule_mode: str
    mode: str
    capture: str
    capture_words: str
    why: str
    yaml: str
    command: str


@dataclass(frozen=True)
class Connections:
    sentence: str
    connections: list[Connection]
    labels: list[str]


@dataclass(frozen=True)
class Tested:
    """What came of trying an address. ``members`` are the other servers of its cluster, as it sees them, ``script`` the commands
    that switch on there what is not reported.
    """

    answers: bool
    words: str
    took_s: float
    server: str
    cluster: str
    role: str
    engine: str
    engine_version: str
    clock_skew_s: float
    reports: list[Report]
    members: list[Member]
    known_as: str
    script: str


@dataclass(frozen=True)
class WhatIsReported:
    """Of a server; ``script`` are the commands that switch the rest on there, in one piece."""

    reports: list[Report]
    script: str


@dataclass(frozen=True)
class Registered:
    """What came of taking in one address; ``error`` is empty where it was."""

    address: str
    server: str
    error: str


def connections_of(store: Store, now_us: int) -> Connections:
    """All servers, retired ones too."""
    with store.read() as session:
        rules = rules_of(session)
        query = select(Server).options(joinedload(Server.cluster), joinedload(Server.capture)).order_by(Server.name)
        rows = []
        for server in session.scalars(query):
            rule = rule_for(rules, server.name, server.cluster.name, server.labels, now_us)
            state, words = capture_state(server, now_us, store.health.failure)
            account = account_of(session, server)
            by = "" if account is None else "itself" if server.account_id else "its group"
            rows.append(
                Connection(
                    server.name, server.cluster.name, server.role, server.engine, server.engine_version, server.address,
                    server.labels, account.name if account else "", by,
                    [FigureQuery.model_validate(f) for f in server.figures], server.scrapes, server.retired_us is not None,
                    rule.name, rule.mode, server.capture.doing, state, words, server.capture.why,
                    as_yaml(servers=[as_document(server, named(session, server))]), COMMAND,
                )
            )  # fmt: skip
    sentence = connections_sentence([(row.server, row.capture) for row in rows if not row.retired])
    return Connections(sentence, rows, sorted({label for row in rows for label in row.labels}))


def test_address(store: Store, address: str, account_name: str, now_us: int, user: AccountUser) -> Tested:
    """Try an address with an account: who answers, what it reports, what must be switched on, who else is there.

    AccountNotForHost when the account is for other hosts and the user may not pair it with a new one.
    """
    with store.read() as session:
        account = account_called(session, account_name)
        known = session.scalar(select(Server.name).where(Server.address == address)) or ""
    began = time.monotonic()
    try:
        probe = opened(store, address, account, user=user)
        try:
            identity, reports, members = probe.identity(), probe.readiness().reports, _members(probe)
        finally:
            probe.close()
    except (AccountNotForHost, AccountNotForPerson):
        raise
    except ProbeError as error:
        return Tested(
            False, f"{error}{_instead(address)}", time.monotonic() - began, "", "", "", "", "", 0.0, [], [], known, ""
        )
    user_name = account.user if account else ""
    reports = [one.model_copy(update={"remedy": switch_on_script([one.remedy], user_name)}) for one in reports]
    lacking = sum(not report.reported for report in reports)
    engine = f"{identity.engine} {identity.engine_version}"
    return Tested(
        True, tested_words(identity.server, engine, identity.role, len(reports), lacking), time.monotonic() - began,
        identity.server, identity.cluster, identity.role, identity.engine, identity.engine_version,
        (identity.clock_us - now_us) / 1e6, reports, members, known,
        switch_on_script([r.remedy for r in reports if not r.reported], user_name),
    )  # fmt: skip


def _instead(address: str) -> str:
    """What would be right where a database answers at the port that was taken for a probe's."""
    if not address.startswith("http"):
        return ""
    engine = recognised(address)
    return f"; {engine} answers at that port: write {engine}://host:port/database" if engine else ""


def _members(probe: Probe) -> list[Member]:
    """None where the server does not report its cluster."""
    try:
        return probe.members().members
    except Unsupported:
        return []


def register_several(store: Store, wanted: Sequence[Registration], user: AccountUser) -> list[Registered]:
    """Take servers into the fleet, each by itself; one that does not answer is said and not stored.

    Before any is asked: InvalidInput when an account is unknown, Conflict when a name is another server's.
    """
    with store.read() as session:
        for one in wanted:
            account_called(session, one.account)
            other = session.scalar(select(Server).where(Server.name == one.name)) if one.name else None
            if other is not None and other.address != one.address:
                detail = f"name: {one.name} is the server at {other.address}; choose another name"
                raise Conflict(detail, "name", "The name is taken")
    results = []
    for one in wanted:
        try:
            (made,) = register(store, [one], user)
            made.probe.close()
            results.append(Registered(one.address, made.name, ""))
        except ProbeError as error:
            results.append(Registered(one.address, "", str(error)))
    return results


def change_labels(
    session: Session, servers: Sequence[str], add: Sequence[str], remove: Sequence[str], user: AccountUser
) -> None:
    """Change the labels of many servers; NotFound when one is unknown, AccountNotForHost when one would come to an account that
    is for other hosts, or not for the user.
    """
    for name in servers:
        owner = find_server(session, name)
        before = use_of(session, owner)
        owner.labels = sorted({*owner.labels, *(one.strip() for one in add)} - {*remove, ""})
        pair_server(session, owner, user, before)


def retire(session: Session, servers: Sequence[str], retired: bool, now_us: int) -> None:
    """Retire many servers, or bring them back; NotFound when one is unknown."""
    for name in servers:
        find_server(session, name).retired_us = now_us if retired else None


def reports_of(store: Store, name: str) -> WhatIsReported:
    """What one server of the fleet reports, and what has to be switched on there for the rest."""
    with store.read() as session:
        owner = find_server(session, name)
        account = account_of(session, owner)
        user = account.user if account else ""
    probe = probe_of(store, owner.id)
    try:
        found = probe.readiness().reports
        return WhatIsReported(found, switch_on_script([r.remedy for r in found if not r.reported], user))
    finally:
        probe.close()
