"""What people say of findings: taken note of, set aside with a reason, taken up again."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.store.models import Server, StoredFinding


def stored_finding(session: Session, number: int) -> StoredFinding:
    """NotFound where there is none, or where its server is out of reach."""
    row = session.scalar(
        select(StoredFinding).join(Server, Server.id == StoredFinding.server_id).where(StoredFinding.id == number)
    )
    if row is None:
        raise NotFound(f"no finding {number}")
    return row


def take_note(session: Session, number: int, who: str, now_us: int) -> None:
    """Somebody has seen it and sees to it."""
    row = stored_finding(session, number)
    row.noted_us, row.noted_by = now_us, who


def set_aside(session: Session, number: int, who: str, now_us: int, reason: str, weight: float) -> None:
    """It stays silent until it weighs half as much again; InvalidInput without a reason."""
    if not reason.strip():
        raise InvalidInput("reason: say why, for whoever meets it next", "reason")
    row = stored_finding(session, number)
    row.aside_us, row.aside_by, row.aside_reason, row.aside_weight = now_us, who, reason.strip(), weight


def take_up(session: Session, number: int) -> None:
    """Neither noted nor set aside any more."""
    row = stored_finding(session, number)
    row.noted_us, row.noted_by = None, ""
    row.aside_us, row.aside_by, row.aside_reason, row.aside_weight = None, "", "", None
