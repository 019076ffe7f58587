"""The fleet, and saved views of it."""

from __future__ import annotations

from fastapi import APIRouter

from hardy_gauge.api.current import CurrentReader
from hardy_gauge.queries import fleet as query
from hardy_gauge.store.fleet_views import View, remove_view, save_view, views_of

router = APIRouter(tags=["fleet"])


@router.get("/fleet")
def fleet(reader: CurrentReader) -> query.Fleet:
    """Every server as one line, the one furthest from its usual range first."""
    return query.fleet(reader)


@router.get("/fleet/views")
def views(reader: CurrentReader) -> list[View]:
    """Views that were saved; everyone has the same."""
    with reader.store.read() as session:
        return views_of(session)


@router.put("/fleet/views")
def save(view: View, reader: CurrentReader) -> list[View]:
    """Save a view under its name, in place of the one that has it."""
    with reader.store.write() as session:
        save_view(session, view)
        return views_of(session)


@router.delete("/fleet/views/{name}", status_code=204)
def remove(name: str, reader: CurrentReader) -> None:
    with reader.store.write() as session:
        remove_view(session, name)
