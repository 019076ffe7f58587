"""What is wanted of every server: the first rule that fits it, or nothing new while a limit is reached."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import Select, delete, select
from sqlalchemy.orm import Session, joinedload

from hardy_gauge.capture.access import account_of
from hardy_gauge.capture.limits import full
from hardy_gauge.capture.rules import CaptureRule, rule_for
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Rule, Server

BUNDLE = "bundle:"
IMPORT = "import:"


@dataclass(frozen=True)
class Wanted:
    """``rule`` as it is followed now; ``why`` it is not the one that was chosen. ``reached`` tells when the way to the
    server has changed.
    """

    server_id: int
    reached: str
    rule: CaptureRule
    why: str


def rules_of(session: Session) -> list[CaptureRule]:
    return [CaptureRule.model_validate(row.document) for row in session.scalars(select(Rule).order_by(Rule.position))]


def set_rules(session: Session, rules: Sequence[CaptureRule], now_us: int) -> None:
    """Follow these rules instead of those there are."""
    session.execute(delete(Rule))
    for position, rule in enumerate(rules):
        document = rule.model_dump(mode="json")
        session.add(Rule(name=rule.name, position=position, document=document, changed_us=now_us))


def connected(retired: bool = True) -> Select[tuple[Server]]:
    """Servers with an address, not those of bundles and imports, with their clusters; perhaps without retired ones."""
    own = [Server.address.not_like(f"{way}%") for way in (BUNDLE, IMPORT)]
    query = select(Server).where(*own).options(joinedload(Server.cluster)).order_by(Server.name)
    return query if retired else query.where(Server.retired_us.is_(None))


def wanted(store: Store, now_us: int) -> list[Wanted]:
    """Of every server that is not retired."""
    over = full(store)
    with store.read() as session:
        rules = rules_of(session)
        found = []
        for server in session.scalars(connected(retired=False)):
            account = account_of(session, server)
            signed = (account.id, account.changed_us) if account else None
            reached = json.dumps([server.address, signed, server.figures, server.scrapes])
            rule = rule_for(rules, server.name, server.cluster.name, server.labels, now_us)
            if over and rule.mode != "reading":
                rule = rule.model_copy(update={"mode": "reading"})
            found.append(Wanted(server.id, reached, rule, over))
    return found
