"""Saved views of the Fleet, the same for everyone."""

from __future__ import annotations

from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from hardy_gauge.errors import Conflict, NotFound
from hardy_gauge.store.models import Preference

NAME = "fleet views"
MOST = 100


class View(BaseModel):
    """A saved view of the Fleet: what stands in the address after the question mark."""

    name: str = Field(min_length=1, max_length=60, pattern=r"^[^\s/][^/]*$")
    query: str = Field(max_length=500, pattern=r"^[^#?\s]*$")


def views_of(session: Session) -> list[View]:
    """By name."""
    row = session.get(Preference, NAME)
    return [] if row is None else [View(name=name, query=query) for name, query in sorted(row.value.items())]


def save_view(session: Session, view: View) -> None:
    """In place of the one that has the name; Conflict when there are too many."""
    known = {one.name: one.query for one in views_of(session)}
    if len(known) >= MOST and view.name not in known:
        raise Conflict(f"name: at most {MOST} views are kept; remove one first", "name", "Too many views")
    session.merge(Preference(name=NAME, value=known | {view.name: view.query}))


def remove_view(session: Session, name: str) -> None:
    """NotFound when no view has the name."""
    known = {one.name: one.query for one in views_of(session)}
    if known.pop(name, None) is None:
        raise NotFound(f"no view '{name}' is saved", "name", "Unknown view")
    session.merge(Preference(name=NAME, value=known))
