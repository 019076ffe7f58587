"""Sessions of a server, one by one: what a person does about them."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import Field

from hardy_gauge.api.current import CurrentName, CurrentReader
from hardy_gauge.api.fields import Strict
from hardy_gauge.capture.session_end import end_session
from hardy_gauge.queries.scope import server_named

router = APIRouter(tags=["now"], prefix="/servers/{server}/sessions")
SessionNumber = Annotated[int, Path(ge=0, le=2**63 - 1)]


class Ending(Strict):
    """``user`` is whose session it is, as it was seen: a number that somebody else has by now is left alone."""

    user: Annotated[str, Field(max_length=200)]
    reason: Annotated[str, Field(min_length=1, max_length=150)]


@router.post("/{session}/end", status_code=204)
def end(server: str, session: SessionNumber, given: Ending, reader: CurrentReader, name: CurrentName) -> None:
    """End a session; what it has open is rolled back. Kept in the audit log, and noted among the changes of the server."""
    owner = server_named(reader, server)
    end_session(reader.store, owner, session, given.user, given.reason, name, reader.clock())
