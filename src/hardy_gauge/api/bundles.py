"""Bundles: take a scope's window home in a file, open one here, and take it out again."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body, Response
from pydantic import BaseModel
from sqlalchemy import select

from hardy_gauge.api.data import CurrentData
from hardy_gauge.api.problems import Problem
from hardy_gauge.api.window import CurrentWindow, servers_in
from hardy_gauge.capture import bundles
from hardy_gauge.capture.wanted import BUNDLE
from hardy_gauge.store.models import CaptureState, Server

router = APIRouter(tags=["bundles"], prefix="/bundles")
MOST_UPLOAD = 2**30


class BundleOut(BaseModel):
    """A bundle that is open here, with the names of its servers."""

    bundle: str
    servers: list[str]
    until_us: int
    new: bool = False


@router.get("")
def opened(data: CurrentData) -> list[BundleOut]:
    with data.store.read() as session:
        rows = session.execute(
            select(Server.address, Server.name, CaptureState.recorded_until_us)
            .join(CaptureState)
            .where(Server.address.like(f"{BUNDLE}%"))
            .order_by(Server.name)
        ).all()
    found: dict[str, BundleOut] = {}
    for address, name, until in rows:
        key = address.removeprefix(BUNDLE).partition("/")[0]
        found.setdefault(key, BundleOut(bundle=key, servers=[], until_us=until)).servers.append(name)
    return list(found.values())


@router.post("", status_code=201)
def open_here(
    content: Annotated[bytes, Body(media_type="application/octet-stream", max_length=MOST_UPLOAD)], data: CurrentData
) -> BundleOut:
    """Open a bundle given as bytes; one that is open already is left as it is."""
    try:
        made = bundles.open_in(data.store, content)
    except bundles.BadBundle as error:
        raise Problem(422, "The file cannot be opened", str(error), "file") from error
    return next(row for row in opened(data) if row.bundle == made.id).model_copy(update={"new": made.new})


@router.get("/export", response_class=Response, responses={200: {"content": {"application/zip": {}}}})
def take_home(data: CurrentData, window: CurrentWindow, scope: str = "fleet") -> Response:
    """A bundle of a scope's focus."""
    servers = servers_in(data, scope)
    if not servers:
        raise Problem(404, "Nothing to take", "no server is recorded yet", "scope")
    focus = window.focus
    content = bundles.write(data.store, [s.id for s in servers], focus.since_us, focus.until_us, data.clock())
    name = "".join(c if c.isalnum() or c in "-_." else "_" for c in scope)
    headers = {"content-disposition": f'attachment; filename="{name}.bundle"'}
    return Response(content, media_type="application/zip", headers=headers)


@router.delete("/{bundle}", status_code=204)
def take_out(bundle: str, data: CurrentData) -> None:
    """Everything that came with a bundle goes again."""
    if not bundle.isalnum() or not bundles.remove(data.store, bundle):
        raise Problem(404, "Unknown bundle", f"no bundle '{bundle}' is open here", "bundle")
