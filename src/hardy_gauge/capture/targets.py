"""What is to be captured of every server: the first rule that fits it, or nothing new while a limit is reached."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import Select, select
from sqlalchemy.orm import Session, joinedload

from hardy_gauge.capture.access import account_of
from hardy_gauge.capture.rules import CaptureRule, rule_for
from hardy_gauge.errors import InvalidInput
from hardy_gauge.store.database import Store
from hardy_gauge.store.limits import full
from hardy_gauge.store.models import BUNDLE, IMPORT, Server, StoredCaptureRule

BY_HAND = "paused by hand"


@dataclass(frozen=True)
class CaptureTarget:
    """``rule`` as it is followed now; ``why`` it is not the one that was chosen. ``reached`` is when the way to the
    server has changed.
    """

    server_id: int
    reached: str
    rule: CaptureRule
    why: str


def rules_of(session: Session) -> list[CaptureRule]:
    return [
        CaptureRule.model_validate(row.document)
        for row in session.scalars(select(StoredCaptureRule).order_by(StoredCaptureRule.position))
    ]


def set_rules(session: Session, rules: Sequence[CaptureRule], now_us: int) -> None:
    """Follow these rules instead of those there are; InvalidInput when two have one name."""
    names = [rule.name for rule in rules]
    if len(set(names)) < len(names):
        raise InvalidInput("rules: every name is for one rule", "rules", "Two rules of one name")
    for row in session.scalars(select(StoredCaptureRule)):
        session.delete(row)
    session.flush()
    for position, rule in enumerate(rules):
        document = rule.model_dump(mode="json")
        session.add(StoredCaptureRule(name=rule.name, position=position, document=document, changed_us=now_us))


def pause_servers(session: Session, names: Sequence[str], paused: bool, now_us: int) -> None:
    """Record nothing new of servers, or follow the other rules there again: a first rule that names them."""
    found = rules_of(session)
    held = {name for rule in found if rule.name == BY_HAND for name in rule.applies_to}
    held = held | set(names) if paused else held - set(names)
    first = [CaptureRule(name=BY_HAND, applies_to=sorted(held), mode="reading")] if held else []
    set_rules(session, first + [rule for rule in found if rule.name != BY_HAND], now_us)


def connected(retired: bool = True) -> Select[Server]:
    """Servers with an address, not those of bundles and imports, with their clusters; perhaps without retired ones."""
    own = [Server.address.not_like(f"{way}%") for way in (BUNDLE, IMPORT)]
    query = select(Server).where(*own).options(joinedload(Server.cluster)).order_by(Server.name)
    return query if retired else query.where(Server.retired_us.is_(None))


def capture_targets(store: Store, now_us: int) -> list[CaptureTarget]:
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
            found.append(CaptureTarget(server.id, reached, rule, over))
    return found
