"""Bundles: a scope's window as a file, files opened here, and removed again."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Body, Response
from pydantic import BaseModel

from hardy_gauge.api.current import CurrentReader, CurrentWindow
from hardy_gauge.capture import bundles
from hardy_gauge.capture.bundles import BundleOut, opened_bundles
from hardy_gauge.core.narrative.setup import bundles_sentence
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.scope import servers_in

router = APIRouter(tags=["bundles"], prefix="/bundles")
MOST_UPLOAD = 2**30


class Bundles(BaseModel):
    """The bundles that are open here."""

    sentence: str
    bundles: list[BundleOut]


@router.get("")
def opened(reader: CurrentReader) -> Bundles:
    found = opened_bundles(reader.store)
    return Bundles(sentence=bundles_sentence(len(found)), bundles=found)


@router.post("", status_code=201)
def open_here(
    content: Annotated[bytes, Body(media_type="application/octet-stream", max_length=MOST_UPLOAD)],
    reader: CurrentReader,
) -> BundleOut:
    """Open a bundle given as bytes; one that is open already is left as it is."""
    made = bundles.open_in(reader.store, content)
    return replace(next(row for row in opened_bundles(reader.store) if row.bundle == made.id), new=made.new)


@router.get("/export", response_class=Response, responses={200: {"content": {"application/zip": {}}}})
def export(reader: CurrentReader, window: CurrentWindow, scope: str = "fleet") -> Response:
    """A bundle of a scope's focus."""
    servers = servers_in(reader, scope)
    if not servers:
        raise NotFound("no server is recorded yet", "scope", "Nothing to export")
    focus = window.focus
    content = bundles.write(reader.store, [s.id for s in servers], focus.since_us, focus.until_us, reader.clock())
    name = "".join(c if c.isascii() and (c.isalnum() or c in "-_.") else "_" for c in scope)
    headers = {"content-disposition": f'attachment; filename="{name}.bundle"'}
    return Response(content, media_type="application/zip", headers=headers)


@router.delete("/{bundle}", status_code=204)
def remove(bundle: str, reader: CurrentReader) -> None:
    """Everything that came with a bundle is deleted."""
    if not bundle.isalnum() or not bundles.remove(reader.store, bundle):
        raise NotFound(f"no bundle '{bundle}' is open here", "bundle", "Unknown bundle")
