"""Sets of strips that people saved under a name."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.store.models import SavedStrips


def save_strips(session: Session, name: str, bands: Sequence[str], who: str, now_us: int) -> SavedStrips:
    """Under a name that is there already, it takes the place of what was saved; InvalidInput without a name or bands."""
    if not name.strip():
        raise InvalidInput("name: give the set a name by which others find it", "name")
    if not bands:
        raise InvalidInput("bands: choose at least one figure", "bands")
    row = session.scalar(select(SavedStrips).where(SavedStrips.name == name.strip()))
    if row is None:
        row = SavedStrips(name=name.strip())
        session.add(row)
    row.bands, row.saved_by, row.saved_us = list(bands), who, now_us
    session.flush()
    return row


def delete_strips(session: Session, number: int) -> None:
    """NotFound where there is none."""
    row = session.get(SavedStrips, number)
    if row is None:
        raise NotFound(f"no saved strips {number}")
    session.delete(row)
