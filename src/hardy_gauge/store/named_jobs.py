"""What people call jobs that come back."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.errors import NotFound
from hardy_gauge.store.models import NamedJob, Statement
from hardy_gauge.store.servers import find_server


def name_job(session: Session, server: str, fingerprint: str, name: str, dismissed: bool) -> None:
    """NotFound where there is no such server or statement. Without a name and not dismissed, nothing is said of it any more."""
    owner = find_server(session, server)
    if session.scalar(select(Statement.id).where(Statement.fingerprint == fingerprint)) is None:
        raise NotFound(f"no statement {fingerprint!r}")
    row = session.scalar(select(NamedJob).where(NamedJob.server_id == owner.id, NamedJob.fingerprint == fingerprint))
    if not name.strip() and not dismissed:
        if row is not None:
            session.delete(row)
        return
    if row is None:
        row = NamedJob(server_id=owner.id, fingerprint=fingerprint)
        session.add(row)
    row.name, row.dismissed = name.strip(), dismissed
