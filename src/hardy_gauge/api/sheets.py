"""The sheets that locate and explain: tape, server, ledger, statements, find."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Query

from hardy_gauge.api.current import CurrentLooks, CurrentReader, CurrentWindow
from hardy_gauge.core.activity.holdup_sheet import Holdups
from hardy_gauge.core.activity.now import Now
from hardy_gauge.core.capacity.cache_curve import CacheCurveSheet
from hardy_gauge.core.capacity.sheet import SizingSheet
from hardy_gauge.core.cluster.sheet import ClusterSheet
from hardy_gauge.core.compare.sheet import Comparison
from hardy_gauge.core.host.sheet import HostSheet
from hardy_gauge.core.indexes.across import IndexesAcross
from hardy_gauge.core.statements.rows import Statements
from hardy_gauge.diagnose.cache_curve import cache_curve_of
from hardy_gauge.queries import find as finding
from hardy_gauge.queries.cluster_sheet import cluster_sheet
from hardy_gauge.queries.compare import comparison, sides_of
from hardy_gauge.queries.compare_sides import Of
from hardy_gauge.queries.focus import Focus, focus_of
from hardy_gauge.queries.holdup_sheet import Asked, holdup_sheet
from hardy_gauge.queries.host_sheet import host_sheet
from hardy_gauge.queries.indexes_across import indexes_across
from hardy_gauge.queries.now import now_of
from hardy_gauge.queries.objects import ServerObjects, objects_of
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.server_figures import ServerFigures, figures_of
from hardy_gauge.queries.server_sheet import ServerSheet
from hardy_gauge.queries.server_sheet import server_sheet as sheet_of
from hardy_gauge.queries.sizing import sizing_sheet
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.queries.statement_sheet import StatementDetail, statement_sheet
from hardy_gauge.queries.table_sheet import TableSheet, table_sheet_of
from hardy_gauge.queries.tape import Tape
from hardy_gauge.queries.tape import tape as tape_of

router = APIRouter()


Narrowed = tuple[str, str, str]


def narrowed(service: str = "", user: str = "", statement: str = "") -> Narrowed:
    """What of the scope is compared; empty for all."""
    return service, user, statement


def narrowed_with(
    service: Annotated[str, Query(alias="with.service")] = "",
    user: Annotated[str, Query(alias="with.user")] = "",
    statement: Annotated[str, Query(alias="with.statement")] = "",
) -> Narrowed:
    """What of the other side is compared; empty for all."""
    return service, user, statement


@router.get("/tape", tags=["tape"])
def tape(
    reader: CurrentReader,
    scope: str = "fleet",
    span: Annotated[str, Query(description="an ISO 8601 interval, or a duration that ends now")] = "PT6H",
) -> Tape:
    return tape_of(reader, scope, span)


@router.get("/focus", tags=["tape"])
def focus(reader: CurrentReader, window: CurrentWindow) -> Focus:
    """The ends of the focus, the steps in which it is drawn, and how far back is kept."""
    return focus_of(reader, window)


@router.get("/servers/{server}", tags=["servers"])
def server_sheet(server: str, reader: CurrentReader, window: CurrentWindow) -> ServerSheet:
    return sheet_of(reader, window, server)


@router.get("/servers/{server}/objects", tags=["servers"])
def server_objects(server: str, reader: CurrentReader, window: CurrentWindow) -> ServerObjects:
    """Tables, indexes and sequences: what was done with them in the focus, and how they were at its end."""
    return objects_of(reader, server_named(reader, server), window.focus)


@router.get("/servers/{server}/tables/{table}", tags=["servers"])
def table_sheet(server: str, table: str, reader: CurrentReader, window: CurrentWindow) -> TableSheet:
    """One table: its size and growth, columns, indexes with the statements that read them, and the statements that touch it."""
    return table_sheet_of(reader, server_named(reader, server), table, window.focus)


@router.get("/indexes", tags=["servers"])
def indexes(reader: CurrentReader, window: CurrentWindow, scope: str = "fleet") -> IndexesAcross:
    """Indexes that cost and give nothing, are missing, or are too large, each told once for its cluster."""
    return indexes_across(reader, scope, window.focus)


@router.get("/servers/{server}/figures", tags=["servers"])
def server_figures(server: str, reader: CurrentReader, window: CurrentWindow) -> ServerFigures:
    """Every level and rate that is recorded, with its usual range."""
    return figures_of(reader, server_named(reader, server), window.focus)


@router.get("/servers/{server}/host", tags=["servers"])
def host(server: str, reader: CurrentReader, window: CurrentWindow) -> HostSheet:
    """The machine below it: cores, memory, volumes with their limits and when they fill, and how its system is set."""
    return host_sheet(reader, window.focus, server)


@router.get("/servers/{server}/sizing", tags=["servers"])
def sizing(server: str, reader: CurrentReader) -> SizingSheet:
    """What its memory, sessions, log, partitions and storage should be like for what it did over two weeks, each with its formula."""
    return sizing_sheet(reader, server)


@router.post("/servers/{server}/cache-curve", tags=["servers"])
def curve(server: str, reader: CurrentReader) -> CacheCurveSheet:
    """What a buffer cache of each size would find, from the pages that the server says it is asked for now."""
    return cache_curve_of(reader, server)


@router.get("/clusters/{cluster}", tags=["clusters"])
def cluster_of(cluster: str, reader: CurrentReader, window: CurrentWindow) -> ClusterSheet:
    """One cluster: members beside each other, agreement, balance, partitions on the move, replication, and what happened."""
    return cluster_sheet(reader, window, cluster)


@router.get("/now", tags=["now"])
def now(
    reader: CurrentReader,
    look_of: CurrentLooks,
    scope: str = "fleet",
    details: Annotated[bool, Query(description="of one server also its sessions")] = True,
) -> Now:
    """What runs at this moment, by the last look that was taken anyway: the server is asked nothing more."""
    return now_of(reader, look_of, scope, details)


@router.get("/holdups", tags=["holdups"])
def holdups(
    reader: CurrentReader,
    window: CurrentWindow,
    scope: str = "fleet",
    service: Annotated[list[str] | None, Query(alias="filter.service")] = None,
    user: Annotated[list[str] | None, Query(alias="filter.user")] = None,
    object_: Annotated[list[str] | None, Query(alias="filter.object")] = None,
    tree: Annotated[
        str, Query(description="key of the tree that is shown as lanes; the first where none is given")
    ] = "",
) -> Holdups:
    """Who held whom up: trees of waiting, what they cost others, and one of them as lanes."""
    return holdup_sheet(reader, window, scope, Asked(service or [], user or [], object_ or [], tree))


@router.get("/compare", tags=["compare"])
def compare(
    reader: CurrentReader,
    window: CurrentWindow,
    right: Annotated[Narrowed, Depends(narrowed)],
    left: Annotated[Narrowed, Depends(narrowed_with)],
    scope: str = "fleet",
    other: Annotated[
        str,
        Query(
            alias="with", description="server, cluster or fleet to compare with; the scope itself where none is given"
        ),
    ] = "",
) -> Comparison:
    """The scope over the focus against the reference: a window, a server, or the same time a week before; or against ``with``."""
    return comparison(reader, *sides_of(reader, window, scope, other, Of(*left), Of(*right)))


@router.get("/statements", tags=["statements"])
def statements(reader: CurrentReader, window: CurrentWindow, scope: str = "fleet", search: str = "") -> Statements:
    return statement_rows(reader, window, scope, search)


@router.get("/statements/{fingerprint}", tags=["statements"])
def statement(fingerprint: str, reader: CurrentReader, window: CurrentWindow, scope: str = "fleet") -> StatementDetail:
    return statement_sheet(reader, window, scope, fingerprint)


@router.get("/find", tags=["find"])
def find(reader: CurrentReader, q: str = "") -> list[finding.Hit]:
    """Everything whose name or text holds all the words of ``q``."""
    return finding.find(reader, q)
