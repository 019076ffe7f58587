"""Strips: chosen figures over one time axis; sets of them that are saved; two figures against each other."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field
from sqlalchemy import select

from hardy_gauge.api.current import CurrentName, CurrentReader, CurrentWindow
from hardy_gauge.api.fields import Strict
from hardy_gauge.api.problems import RowId
from hardy_gauge.core.strips.band import Strips, parse_band, parse_bands
from hardy_gauge.queries.strips import Against, against_of, bands_for_finding, strips_of
from hardy_gauge.store.models import SavedStrips
from hardy_gauge.store.saved_strips import delete_strips, save_strips

router = APIRouter(tags=["strips"], prefix="/strips")


@router.get("")
def strips(
    reader: CurrentReader,
    window: CurrentWindow,
    scope: str = "fleet",
    band: Annotated[
        list[str] | None, Query(description="figures in their order, such as figure:desk-a:active_sessions")
    ] = None,
    finding: Annotated[
        int | None, Query(ge=1, le=2**53, description="shows the figures of a finding's cause, where no band is given")
    ] = None,
) -> Strips:
    """Figures of any objects over the focus, with their usual range, changes and findings, and what lies beside them."""
    keys = parse_bands(band or [])
    if not keys and finding is not None:
        keys = bands_for_finding(reader, finding)
    return strips_of(reader, window.focus, keys, scope)


@router.get("/against")
def against(reader: CurrentReader, window: CurrentWindow, first: str, second: str) -> Against:
    """Two figures against each other: pairs of minutes, and how far the second follows the first, and after how long."""
    return against_of(reader, window.focus, parse_band(first), parse_band(second))


class Saved(BaseModel):
    id: int
    name: str
    bands: list[str]
    saved_by: str
    saved_us: int


class NewSet(Strict):
    name: Annotated[str, Field(min_length=1, max_length=80)]
    bands: Annotated[list[Annotated[str, Field(max_length=400)]], Field(min_length=1, max_length=20)]


@router.get("/saved")
def saved(reader: CurrentReader) -> list[Saved]:
    """Sets that people saved, by name."""
    with reader.store.read() as session:
        return [_shown(row) for row in session.scalars(select(SavedStrips).order_by(SavedStrips.name))]


@router.put("/saved")
def save(given: NewSet, reader: CurrentReader, name: CurrentName) -> Saved:
    """Save a set; one of the same name is replaced."""
    keys = parse_bands(given.bands)
    with reader.store.write() as session:
        return _shown(save_strips(session, given.name, [key.text() for key in keys], name, reader.clock()))


@router.delete("/saved/{set_id}", status_code=204)
def delete(set_id: RowId, reader: CurrentReader) -> None:
    """Delete a saved set."""
    with reader.store.write() as session:
        delete_strips(session, set_id)


def _shown(row: SavedStrips) -> Saved:
    return Saved(id=row.id, name=row.name, bands=row.bands, saved_by=row.saved_by, saved_us=row.saved_us)
