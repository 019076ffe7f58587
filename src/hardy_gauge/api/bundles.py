"""Bundles: a scope's window as a file, files opened here, and removed again."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from hardy_gauge.api.current import CurrentReader, CurrentSettings, CurrentWindow
from hardy_gauge.api.downloads import attachment
from hardy_gauge.api.uploads import uploaded
from hardy_gauge.capture import bundles
from hardy_gauge.capture.bundles import BundleOut, opened_bundles
from hardy_gauge.core.narrative.setup import bundles_sentence
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in

router = APIRouter(tags=["bundles"], prefix="/bundles")


class Bundles(BaseModel):
    """The bundles that are open here."""

    sentence: str
    bundles: list[BundleOut]


@router.get("")
def opened(reader: CurrentReader) -> Bundles:
    found = opened_bundles(reader.store)
    return Bundles(sentence=bundles_sentence(len(found)), bundles=found)


@router.post("", status_code=201, openapi_extra={"requestBody": {"content": {"application/octet-stream": {}}}})
async def open_here(request: Request, reader: CurrentReader, settings: CurrentSettings) -> BundleOut:
    """Open the bundle that is the body; one that is open already is left as it is."""
    async with uploaded(request, settings.data / "incoming") as path:
        return await run_in_threadpool(_opened, reader, path)


def _opened(reader: Reader, path: Path) -> BundleOut:
    made = bundles.open_in(reader.store, path)
    return replace(next(row for row in opened_bundles(reader.store) if row.bundle == made.id), new=made.new)


@router.get("/export", response_class=Response, responses={200: {"content": {"application/zip": {}}}})
def export(reader: CurrentReader, window: CurrentWindow, scope: str = "fleet") -> Response:
    """A bundle of a scope's focus."""
    servers = servers_in(reader, scope)
    if not servers:
        raise NotFound("no server is recorded yet", "scope", "Nothing to export")
    focus = window.focus
    content = bundles.write(reader.store, [s.id for s in servers], focus.since_us, focus.until_us, reader.clock())
    return Response(content, media_type="application/zip", headers=attachment(f"{scope}.bundle"))


@router.delete("/{bundle}", status_code=204)
def remove(bundle: str, reader: CurrentReader) -> None:
    """Everything that came with a bundle is deleted."""
    if not bundle.isalnum() or not bundles.remove(reader.store, bundle):
        raise NotFound(f"no bundle '{bundle}' is open here", "bundle", "Unknown bundle")
