"""Figures of the user's own: where they are recorded, trying one, keeping it on a scope, recording it no more."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import Field

from hardy_gauge.api.current import CurrentReader
from hardy_gauge.api.fields import Strict
from hardy_gauge.capture.own_figures import CheckedFigure, check_on, drop_figure, keep_figure
from hardy_gauge.probes.sqlpack.pack import FigureQuery
from hardy_gauge.queries.own_figures import OwnFigures, own_figures
from hardy_gauge.queries.scope import servers_in

router = APIRouter(tags=["figures"], prefix="/figures")
Scope = Annotated[str, Field(min_length=1, max_length=200)]


class OfScope(Strict):
    """``scope`` is a server, a cluster or "fleet"."""

    scope: Scope
    figure: FigureQuery


@router.get("")
def figures(reader: CurrentReader, scope: str = "fleet") -> OwnFigures:
    """The queries whose values are recorded, and the addresses of OpenMetrics text."""
    return own_figures(reader, scope)


@router.post("/check")
def check(given: OfScope, reader: CurrentReader) -> list[CheckedFigure]:
    """Ask for a figure on every server of the scope, once: its rows, its values, and how long it takes there."""
    return check_on(reader.store, servers_in(reader, given.scope), given.figure)


@router.put("", status_code=204)
def keep(given: OfScope, reader: CurrentReader, http: Request) -> None:
    """Record a figure on every server of the scope from now on, after it was tried on each: on all of them or none."""
    servers = servers_in(reader, given.scope)
    checked = check_on(reader.store, servers, given.figure)
    with reader.store.write() as session:
        keep_figure(session, servers, given.figure, checked)
    http.app.state.poke()


@router.delete("/{name}", status_code=204)
def drop(name: str, reader: CurrentReader, http: Request, scope: str = "fleet") -> None:
    """Record a figure no more; what was recorded stays."""
    with reader.store.write() as session:
        drop_figure(session, servers_in(reader, scope), name)
    http.app.state.poke()
