"""Plans that servers keep for statements."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import Field

from hardy_gauge.api.current import CurrentName, CurrentReader, CurrentWindow
from hardy_gauge.api.fields import Strict
from hardy_gauge.capture.pinning import pin_plan
from hardy_gauge.queries.pins import PinSheet, pin_sheet
from hardy_gauge.queries.scope import server_named

router = APIRouter(tags=["plans"], prefix="/servers/{server}")
Fingerprint = Annotated[str, Path(max_length=64)]


class Pinning(Strict):
    """Without a plan the pin of the statement is taken back."""

    plan_key: Annotated[str, Field(min_length=1, max_length=200)] | None
    reason: Annotated[str, Field(min_length=1, max_length=150)]


@router.get("/pins")
def pins(server: str, reader: CurrentReader, window: CurrentWindow) -> PinSheet:
    """Plans that the server keeps, and what each does in the focus."""
    return pin_sheet(reader, server, window.focus)


@router.post("/statements/{fingerprint}/pin", status_code=204)
def pin(server: str, fingerprint: Fingerprint, given: Pinning, reader: CurrentReader, name: CurrentName) -> None:
    """Pin a plan or take its pin back. Kept in the audit log, and noted among the changes of the server."""
    owner = server_named(reader, server)
    pin_plan(reader.store, owner, fingerprint, given.plan_key, given.reason, name, reader.clock())
