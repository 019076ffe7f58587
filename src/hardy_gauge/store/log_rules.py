"""Rules of people about log messages, as they are stored."""

from __future__ import annotations

from typing import cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.core.log.rules import LogRule, Takes
from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.store.models import StoredLogRule


def log_rules(session: Session) -> list[LogRule]:
    """In the order in which they were made; the last that holds counts."""
    rows = session.scalars(select(StoredLogRule).order_by(StoredLogRule.made_us, StoredLogRule.id))
    return [LogRule(row.id, row.pattern, cast(Takes, row.takes), row.made_by) for row in rows]


def save_log_rule(session: Session, pattern: str, takes: Takes, who: str, now_us: int) -> None:
    """A pattern that is there already is taken anew, as the last; InvalidInput where it has no word."""
    pattern = " ".join(pattern.split())
    if not pattern:
        raise InvalidInput("pattern: give at least one word of the message", "pattern")
    row = session.scalar(select(StoredLogRule).where(StoredLogRule.pattern == pattern))
    if row is None:
        row = StoredLogRule(pattern=pattern)
        session.add(row)
    row.takes, row.made_by, row.made_us = takes, who, now_us
    session.flush()


def delete_log_rule(session: Session, number: int) -> None:
    """NotFound where there is none."""
    row = session.get(StoredLogRule, number)
    if row is None:
        raise NotFound(f"no log rule {number}")
    session.delete(row)
